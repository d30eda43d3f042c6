import { CRS84, provideSystems, toLonLat, type Crs, type CrsClue } from '@clean-sieve/core';
import { crsOfWkt } from './described.ts';
import { definitionOf, refusalOf, relationOf } from './related.ts';
import { allSystems, listedSystem, type ListedSystem } from './systems.ts';

const SPELLINGS = /^(?:EPSG:{1,2}|urn:ogc:def:crs:EPSG:[^:]*:|https?:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[^/]*\/)?(\d{4,6})$/i;

/** The system of a code or name as people write it. Throws an Error that names the code when it cannot be used. */
export function crsNamed(name: string): Crs {
  if (/CRS84$/i.test(name)) return CRS84;
  const code = SPELLINGS.exec(name.trim())?.[1];
  if (!code) throw new Error(`${name} is not a coordinate system code; write it as in EPSG:4326`);
  return crsOfSystem(listed(code));
}

// Expressions name systems by their codes, in whichever thread they are evaluated.
provideSystems(crsNamed);

function listed(code: string): ListedSystem {
  const found = listedSystem(Number(code));
  if (!found) throw new Error(`EPSG:${code} is not in the EPSG list of geographic and projected systems`);
  return found;
}

function crsOfSystem(system: ListedSystem): Crs {
  const crs = { name: `EPSG:${system.code}`, label: system.name };
  // Files hold longitude before latitude whatever the register says of the axes, so this is the same as CRS84.
  if (system.code === 4326) return { ...crs, label: 'WGS 84', definition: null, accuracy: null };
  const refusal = refusalOf(system);
  if (refusal) throw new Error(`${crs.name} (${system.name}) cannot be converted to longitude and latitude: ${refusal}`);
  return { ...crs, definition: definitionOf(system), accuracy: relationOf(system.name, system.shift) };
}

/** The same system by the list at hand: what a workspace remembers of one may be older than the list. */
export function current(crs: Crs): Crs {
  const code = /^EPSG:(\d+)$/.exec(crs.name)?.[1];
  if (!code) return /^\s*[A-Z]+\s*\[/.test(crs.definition ?? '') ? (crsOfWkt(crs.definition!) ?? crs) : crs;
  const system = listedSystem(Number(code));
  return system && !refusalOf(system) ? crsOfSystem(system) : crs;
}

/** Well-known text (OGC 01-009) of a system, for files that carry it; null where none is known. */
export function wktOf(crs: Crs): string | null {
  if (crs.name === 'custom') return crs.wkt ?? null;
  return listed(/^EPSG:(\d+)$/.exec(crs.name)?.[1] ?? '4326').wkt;
}

/** Whether the first axis of a system points north (or is latitude) by its definition. */
export function northFirst(code: string): boolean {
  return listed(code).northFirst;
}

/** Null when the clue names a system that cannot be used. */
export function crsOfClue(clue: CrsClue): Crs | null {
  if (clue.kind === 'crs84') return CRS84;
  if (clue.kind === 'wkt') return crsOfWkt(clue.wkt);
  if (clue.kind === 'unknown') return null;
  const system = listedSystem(clue.code);
  return system && (system.code === 4326 || !refusalOf(system)) ? crsOfSystem(system) : null;
}

export interface CrsEntry {
  code: number;
  name: string;
  area: string;
}

/** Systems whose code begins with, or whose name or area of use has, every word of the text; at most `most`. */
export function searchCrs(text: string, most = 40): CrsEntry[] {
  const words = text
    .toLowerCase()
    .replace(/^epsg:/, '')
    .split(/\s+/)
    .filter((word) => word !== '');
  const found: (CrsEntry & { rank: number })[] = [];
  for (const system of allSystems()) {
    if (system.deprecated || refusalOf(system)) continue;
    const { name, area } = system;
    const code = String(system.code);
    // The system of web maps is called by what it is for, and has another name in the dataset.
    const named = `${name}${system.code === 3857 ? ' web mercator' : ''}`.toLowerCase();
    if (!words.every((word) => code.startsWith(word) || named.includes(word) || area.toLowerCase().includes(word))) continue;
    const rank = words.includes(code)
      ? 0
      : words.every((word) => named.includes(word))
        ? 1
        : words.every((word) => code.startsWith(word))
          ? 2
          : 3;
    found.push({ code: system.code, name, area, rank });
  }
  found.sort((a, b) => a.rank - b.rank || a.name.length - b.name.length || a.code - b.code);
  return found.slice(0, most).map(({ code, name, area }) => ({ code, name, area }));
}

export interface CrsGuess extends CrsEntry {
  /** West, south, east, north in degrees of where the coordinates would lie. */
  extent: [number, number, number, number];
}

/**
 * Systems in which a box of coordinates would lie where the system is used, the most local first: what to offer when a file
 * does not say.
 */
export function likelyCrs([minX, minY, maxX, maxY]: [number, number, number, number], most = 12): CrsGuess[] {
  const guesses: (CrsGuess & { size: number })[] = [];
  for (const system of allSystems()) {
    const { code, name, area } = system;
    const [west, south, east, north] = system.bbox;
    if (system.deprecated || west > east || refusalOf(system)) continue;
    const convert = toLonLat(crsOfSystem(system));
    const [a, b] = [convert(minX, minY), convert(maxX, maxY)];
    const inside = [a, b].every(([lon, lat]) => lon >= west && lon <= east && lat >= south && lat <= north);
    if (!inside) continue;
    const extent: CrsGuess['extent'] = [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[0], b[0]), Math.max(a[1], b[1])];
    guesses.push({ code, name, area, extent, size: (north - south) * (east - west) });
  }
  return guesses
    .sort((a, b) => a.size - b.size)
    .slice(0, most)
    .map(({ size: _, ...guess }) => guess);
}
