import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import proj4 from 'proj4';
import { CRS84, fromLonLat, isGeographic, toLonLat, type Crs, type CrsClue } from '@clean-sieve/core';
import { DATUM_SHIFTS } from './datum_shifts.ts';

const require = createRequire(import.meta.url);

/** An entry of the EPSG list (package epsg-index). */
interface Definition {
  code: string;
  kind: string;
  name: string;
  proj4: string | null;
  wkt: string | null;
  /** North, west, south, east of where it is meant to be used, in degrees. */
  bbox: [number, number, number, number] | [];
  area: string;
}

const SPELLINGS =
  /^(?:EPSG:{1,2}|urn:ogc:def:crs:EPSG:[^:]*:|https?:\/\/www\.opengis\.net\/def\/crs\/EPSG\/[^/]*\/)?(\d{4,6})$/i;

/** The system of a code or name as people write it. Throws an Error that names the code when it cannot be used. */
export function crsNamed(name: string): Crs {
  if (/CRS84$/i.test(name)) return CRS84;
  const code = SPELLINGS.exec(name.trim())?.[1];
  if (!code) throw new Error(`${name} is not a coordinate system code; write it as in EPSG:4326`);
  return crsOfDefinition(definitionOf(code));
}

function definitionOf(code: string): Definition {
  try {
    return JSON.parse(readFileSync(require.resolve(`epsg-index/s/${code}.json`), 'utf8')) as Definition;
  } catch {
    throw new Error(`EPSG:${code} is not in the EPSG list`);
  }
}

function crsOfDefinition({ code, name, proj4: definition, kind }: Definition): Crs {
  const crs = { name: `EPSG:${code}`, label: name };
  // Files hold longitude before latitude whatever the register says of the axes, so this is the same as CRS84.
  if (code === '4326') return { ...crs, label: 'WGS 84', definition: null, accuracy: null };
  if (!definition || kind === 'CRS-VERTCRS')
    throw new Error(`EPSG:${code} (${name}) cannot be converted to longitude and latitude`);
  const grid = /\+nadgrids=(?!@null)(\S+)/.exec(definition)?.[1];
  if (!grid) return { ...crs, definition, accuracy: null };
  const shift = DATUM_SHIFTS[grid];
  if (!shift)
    throw new Error(`EPSG:${code} (${name}) needs the datum shift grid ${grid}, which does not ship with this program`);
  return {
    ...crs,
    definition: definition.replace(/\+nadgrids=\S+/, `+towgs84=${shift.parameters}`),
    accuracy: `${name} was related to WGS 84 by ${shift.source}, good to about ${shift.metres} m; the official grid does not ship with this program.`,
  };
}

/** Well-known text (OGC 01-009) of a system, for files that carry it; null where none is known. */
export function wktOf(crs: Crs): string | null {
  if (crs.name === 'custom') return crs.definition;
  return definitionOf(/^EPSG:(\d+)$/.exec(crs.name)?.[1] ?? '4326').wkt;
}

/**
 * Whether the first axis of a system points north (or is latitude) by its definition. The list leaves the axes out of the
 * well-known text where that is so, after the habit of the program that made it, and names them otherwise.
 */
export function northFirst(code: string): boolean {
  return !/AXIS\[/.test(definitionOf(code).wkt ?? '');
}

/** Null when the clue names a system that cannot be used. */
export function crsOfClue(clue: CrsClue): Crs | null {
  try {
    if (clue.kind === 'crs84') return CRS84;
    if (clue.kind === 'epsg') return crsNamed(String(clue.code));
    return clue.kind === 'wkt' ? crsOfWkt(clue.wkt) : null;
  } catch {
    return null;
  }
}

/** Every system that can be used, by code. */
let list: Map<string, Definition> | null = null;
function all(): Map<string, Definition> {
  list ??= new Map(Object.entries(require('epsg-index/all.json') as Record<string, Definition>));
  return list;
}

/** The EPSG entry that well-known text means, by its code or name; else a system of its own by its definition. */
function crsOfWkt(wkt: string): Crs | null {
  const code = /(?:AUTHORITY|ID)\["EPSG",\s*"?(\d+)"?\]\s*\]\s*$/i.exec(wkt)?.[1];
  if (code) {
    try {
      return crsNamed(code);
    } catch {
      // Not in the list or not usable: the definition itself may be.
    }
  }
  const name = /^\s*\w+\s*\[\s*"([^"]*)"/.exec(wkt)?.[1] ?? 'custom';
  let custom: Crs;
  try {
    proj4(wkt);
    custom = { name: 'custom', label: name.replaceAll('_', ' '), definition: wkt, accuracy: null };
  } catch {
    return null;
  }
  return namesakes(name).find((candidate) => sameOnTheGround(candidate, custom)) ?? twinOf(wkt) ?? custom;
}

/** Names as several programs shorten them. */
function plainName(name: string): string {
  return name
    .replace(/^GCS_/i, '')
    .replace(/WGS_1984/i, 'WGS84')
    .replace(/ETRS_1989/i, 'ETRS89')
    .replace(/NAD_1983/i, 'NAD83')
    .replace(/NAD_1927/i, 'NAD27')
    .replace(/OSGB_1936/i, 'OSGB36')
    .replace(/^British_National_Grid$/i, 'OSGB36BritishNationalGrid')
    .replace(/[^a-z0-9]/gi, '')
    .toLowerCase();
}

let byName: Map<string, Definition[]> | null = null;
function namesakes(name: string): Crs[] {
  if (!byName) {
    byName = new Map();
    for (const definition of all().values()) {
      const key = plainName(definition.name);
      byName.set(key, [...(byName.get(key) ?? []), definition]);
    }
  }
  return (byName.get(plainName(name)) ?? []).flatMap((definition) => {
    try {
      return [crsOfDefinition(definition)];
    } catch {
      return [];
    }
  });
}

/** What a projected system is made of: method, parameters, ellipsoid and the name of its datum's geographic system. */
function signature(definition: string, wkt: string): string | null {
  const datum = /GEO(?:GCS|GCRS|DCRS)\s*\[\s*"([^"]*)"/i.exec(wkt)?.[1];
  if (!datum) return null;
  try {
    const parsed = new (proj4 as unknown as { Proj: new (text: string) => Record<string, number | string> }).Proj(
      definition,
    );
    const zero = ['lat0', 'lat1', 'lat2', 'lat_ts', 'long0', 'x0', 'y0'].map((name) => Number(parsed[name] ?? 0));
    const one = ['k0', 'to_meter', 'a', 'rf'].map((name) => Number(parsed[name] ?? 1));
    const numbers = [...zero, ...one].map((value) => value.toPrecision(9));
    return [methodNumber(parsed.forward), ...numbers, plainName(datum)].join(' ');
  } catch {
    return null;
  }
}

/** Methods go by many names, but one function carries each out. */
const methods = new Map<unknown, number>();
function methodNumber(forward: unknown): number {
  if (!methods.has(forward)) methods.set(forward, methods.size);
  return methods.get(forward)!;
}

let bySignature: Map<string, string> | null = null;
/** The EPSG system that is made of the same, whatever it is called. */
function twinOf(wkt: string): Crs | null {
  if (!bySignature) {
    bySignature = new Map();
    for (const { code, kind, proj4: definition, wkt: own } of all().values()) {
      if (kind !== 'CRS-PROJCRS' || !definition || !own) continue;
      const key = signature(definition, own);
      if (key !== null && !bySignature.has(key)) bySignature.set(key, code);
    }
  }
  const key = signature(wkt, wkt);
  const code = key === null ? undefined : bySignature.get(key);
  return code === undefined ? null : crsOfDefinition(all().get(code)!);
}

/** Whether both give nearly the same coordinates in the middle of where the first is used; datum shifts left aside. */
function sameOnTheGround(crs: Crs, other: Crs): boolean {
  const bbox = crs.name === 'EPSG:4326' ? [60, -60, -60, 60] : all().get(crs.name.slice(5))!.bbox;
  if (bbox.length < 4 || isGeographic(crs) !== isGeographic(other)) return false;
  const [north, west, south, east] = bbox;
  const [lon, lat] = [(west + east) / 2, (south + north) / 2];
  const [[x1, y1], [x2, y2]] = [fromLonLat(crs)(lon, lat), fromLonLat(other)(lon, lat)];
  return Math.hypot(x1 - x2, y1 - y2) < (isGeographic(crs) ? 0.01 : 500);
}

export interface CrsEntry {
  code: number;
  name: string;
  area: string;
}

/** Systems whose code begins with, or whose name or area of use has, every word of the text; at most `most`. */
export function searchCrs(text: string, most = 40): CrsEntry[] {
  const words = text.toLowerCase().replace(/^epsg:/, '').split(/\s+/).filter((word) => word !== ''); // prettier-ignore
  const found: (CrsEntry & { rank: number })[] = [];
  for (const { code, name, area, kind, proj4: definition } of all().values()) {
    if (!definition || !/GEOGCRS|PROJCRS/.test(kind)) continue;
    const named = name.toLowerCase();
    const where = (area ?? '').toLowerCase();
    if (!words.every((word) => code.startsWith(word) || named.includes(word) || where.includes(word))) continue;
    const rank = words.includes(code) ? 0 : words.every((word) => named.includes(word)) ? 1 : words.every((word) => code.startsWith(word)) ? 2 : 3; // prettier-ignore
    found.push({ code: Number(code), name, area, rank });
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
  for (const definition of all().values()) {
    const [north, west, south, east] = definition.bbox as number[];
    if (!/GEOGCRS|PROJCRS/.test(definition.kind) || north === undefined || west > east) continue;
    let crs: Crs;
    try {
      crs = crsOfDefinition(definition);
    } catch {
      continue;
    }
    try {
      const convert = toLonLat(crs);
      const [a, b] = [convert(minX, minY), convert(maxX, maxY)];
      const inside = [a, b].every(([lon, lat]) => lon >= west && lon <= east && lat >= south && lat <= north);
      if (!inside) continue;
      const extent: CrsGuess['extent'] = [
        Math.min(a[0], b[0]),
        Math.min(a[1], b[1]),
        Math.max(a[0], b[0]),
        Math.max(a[1], b[1]),
      ];
      guesses.push({
        code: Number(definition.code),
        name: definition.name,
        area: definition.area,
        extent,
        size: (north - south) * (east - west),
      });
    } catch {
      continue;
    }
  }
  return guesses
    .sort((a, b) => a.size - b.size)
    .slice(0, most)
    .map(({ size: _, ...guess }) => guess);
}
