import { systemOfWkt, type Crs, type Datum, type WktSystem } from '@clean-sieve/core';
import { definitionOf, refusalOf, relationOf } from './related.ts';
import { allSystems, listedSystem, type ListedSystem } from './systems.ts';

/**
 * The system that well-known text means: the one of the EPSG list by its code or by what it is made of, else one of its
 * own by its description. Null for what is not understood.
 */
export function crsOfWkt(wkt: string): Crs | null {
  const described = systemOfWkt(wkt);
  const code = described?.code ?? codeIn(wkt);
  const coded = code === null ? null : listedSystem(code);
  if (coded && (coded.code === 4326 || !refusalOf(coded))) return crsOfListed(coded);
  if (!described) return null;
  // A name that shapefiles give to two datums does not say where things are.
  if (indexed().ambiguous.has(datumName(described.datum.name))) return null;
  const twin = twinOf(described);
  if (twin) return refusalOf(twin) && twin.code !== 4326 ? null : crsOfListed(twin);
  const shift = described.towgs84 ? { towgs84: described.towgs84, by: [], metres: NaN } : shiftOf(described.datum);
  const label = described.name.replaceAll('_', ' ');
  return {
    name: 'custom',
    label,
    definition: definitionOf({ proj: described.projection, shift }),
    accuracy: described.towgs84
      ? `${label} is related to WGS 84 by the seven parameters that the file gives; how good they are is not known.`
      : relationOf(label, shift),
    wkt,
  };
}

/** Of text that is not understood, the code at its end: the list knows what it means. */
function codeIn(wkt: string): number | null {
  const code = /(?:AUTHORITY|ID)\["EPSG",\s*"?(\d+)"?\]\s*\]\s*$/i.exec(wkt)?.[1];
  return code === undefined ? null : Number(code);
}

function crsOfListed(system: ListedSystem): Crs {
  const name = `EPSG:${system.code}`;
  if (system.code === 4326) return { name, label: 'WGS 84', definition: null, accuracy: null };
  return {
    name,
    label: system.name,
    definition: definitionOf(system),
    accuracy: relationOf(system.name, system.shift),
  };
}

const plain = (name: string) =>
  name
    .replace(/^D_/, '')
    .toLowerCase()
    .replaceAll(/[^a-z0-9]/g, '');
/** The name of a datum without that of a prime meridian, which counts by its longitude. */
const datumName = (name: string) =>
  plain(name).replace(/(?<=.{3})(?:ferro|paris|lisbon|madrid|rome|bern|jakarta|brussels|stockholm|athens|oslo|bogota|pulkovo)$/, '');

/** Datums of one name farther apart than this, in metres, are not taken for each other. */
const APART = 10;
const apart = (a: readonly number[], b: readonly number[]) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

interface Index {
  /** Listed systems by what they are made of. */
  made: Map<string, ListedSystem[]>;
  /** Listed geographic systems by the plain name of their datum. */
  datums: Map<string, ListedSystem>;
  /** The datum that plain names mean, by the plain name of the dataset. */
  canonical: Map<string, string>;
  /** Plain names of datums that mean several, which lie apart. */
  ambiguous: Set<string>;
}
let index: Index | null = null;
function indexed(): Index {
  if (index) return index;
  index = { made: new Map(), datums: new Map(), canonical: new Map(), ambiguous: new Set() };
  // Names mean first of all what is in use.
  const inUse = allSystems().sort((a, b) => Number(a.deprecated ?? false) - Number(b.deprecated ?? false));
  const described = inUse.flatMap((system) => {
    const own = system.wkt === null ? null : systemOfWkt(system.wkt);
    return own ? [{ system, own }] : [];
  });
  for (const { system, own } of described) {
    const datum = datumName(own.datum.name);
    for (const alias of [...system.aliases[1].map(datumName), datum]) if (!index.canonical.has(alias)) index.canonical.set(alias, datum);
    if (system.kind === 'geographic' && !system.deprecated && !index.datums.has(datum)) index.datums.set(datum, system);
  }
  for (const { system, own } of described) {
    const [mine, other] = [system.shift, index.datums.get(index.canonical.get(datumName(system.aliases[1][0] ?? '')) ?? '')?.shift];
    if (mine && other && index.datums.get(datumName(own.datum.name)) === system && apart(mine.towgs84, other.towgs84) > APART)
      index.ambiguous.add(datumName(system.aliases[1][0]));
  }
  for (const { system, own } of described) {
    const key = makingOf(own, index.canonical);
    // Well-known text of OGC 01-009 leaves out axes that point south and west, where other dialects name them.
    const axis = /\+axis=\w+/.exec(system.proj ?? '')?.[0];
    const turned = axis !== undefined && !own.projection.includes(axis) ? { ...own, projection: `${own.projection} ${axis}` } : null;
    for (const one of turned ? [key, makingOf(turned, index.canonical)] : [key])
      index.made.set(one, [...(index.made.get(one) ?? []), system]);
  }
  return index;
}

const rounded = (number: number, digits = 9) => String(Number(number.toPrecision(digits)));

/** What a system is made of, as a key: projection, ellipsoid, prime meridian and datum. */
function makingOf({ kind, projection, datum }: WktSystem, canonical: Map<string, string>): string {
  const words = projection
    .split(' ')
    .filter((word) => !/^\+(?:a|b|rf|pm|lat_1|lat_2)=/.test(word))
    .map((word) => word.replace(/=(-?[\d.]+(?:e-?\d+)?)$/i, (_, number: string) => `=${rounded(Number(number))}`));
  // Two standard parallels in either order are the same cone.
  const parallels = [...projection.matchAll(/\+lat_[12]=(\S+)/g)].map(([, number]) => rounded(Number(number))).sort();
  const name = canonical.get(datumName(datum.name)) ?? datumName(datum.name);
  return [kind, ...words.sort(), ...parallels, rounded(datum.a), rounded(datum.rf, 8), rounded(datum.meridian, 8), name].join(' ');
}

/** The listed system that is made of the same, whatever it is called. */
function twinOf(described: WktSystem): ListedSystem | null {
  const { made, canonical } = indexed();
  const twins = made.get(makingOf(described, canonical)) ?? [];
  const named = twins.filter(({ name, aliases }) => [name, ...aliases[0]].some((one) => plain(one) === plain(described.name)));
  const rank = ({ deprecated }: ListedSystem) => (deprecated ? 1 : 0);
  return [...(named.length > 0 ? named : twins)].sort((a, b) => rank(a) - rank(b))[0] ?? null;
}

/** The relation to WGS 84 of a datum by its name; null when it is not known. Undefined for WGS 84 itself. */
function shiftOf(datum: Datum): ListedSystem['shift'] {
  const { datums, canonical } = indexed();
  const system = datums.get(canonical.get(datumName(datum.name)) ?? datumName(datum.name));
  return system ? system.shift : null;
}
