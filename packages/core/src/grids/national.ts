import type { Crs } from '../crs/crs.ts';

/** A national grid whose 100 km squares have letters. */
export interface NationalGrid {
  /** Letters of the 100 km square whose south-west corner is so many 100 km east and north; null outside the grid. */
  letters: (east: number, north: number) => string | null;
  crs: Crs;
  /** What one letter reference looks like. */
  example: string;
}

/** A to Z without I, in rows of five from the north-west. */
const ALPHABET = 'ABCDEFGHJKLMNOPQRSTUVWXYZ';

/** Place of a letter in a square of five by five, from its south-west corner. */
function placeOf(letter: string): [east: number, north: number] {
  const at = ALPHABET.indexOf(letter);
  return [at % 5, 4 - Math.floor(at / 5)];
}
const letterAt = (east: number, north: number) => ALPHABET[(4 - north) * 5 + east];

/**
 * The British National Grid: squares of 500 km and within them of 100 km, by two letters, counted from a point 1,000 km
 * west and 500 km south of the false origin. Source: Ordnance Survey, A guide to coordinate systems in Great Britain, section 7
 * ("National Grid references"). The change of datum is the one of EPSG:1314, good to about 5 m.
 */
export const BRITISH: NationalGrid = {
  letters(east, north) {
    const [e, n] = [east + 10, north + 5];
    if (e < 0 || n < 0 || e >= 25 || n >= 25) return null;
    return letterAt(Math.floor(e / 5), Math.floor(n / 5)) + letterAt(e % 5, n % 5);
  },
  crs: {
    name: 'EPSG:27700',
    label: 'OSGB36 / British National Grid',
    definition:
      '+proj=tmerc +lat_0=49 +lon_0=-2 +k=0.9996012717 +x_0=400000 +y_0=-100000 +ellps=airy +towgs84=446.448,-125.157,542.06,0.15,0.247,0.842,-20.489 +units=m +no_defs',
    accuracy: 'about 5 m',
  },
  example: 'TG 514 131',
};

/**
 * The Irish Grid: squares of 100 km by one letter, counted from the false origin. Source: Ordnance Survey Ireland and Ordnance
 * Survey of Northern Ireland, The Irish Grid. The change of datum is the one of EPSG:1954, good to about 1 m.
 */
export const IRISH: NationalGrid = {
  letters: (east, north) => (east < 0 || north < 0 || east >= 5 || north >= 5 ? null : letterAt(east, north)),
  crs: {
    name: 'EPSG:29903',
    label: 'TM75 / Irish Grid',
    definition:
      '+proj=tmerc +lat_0=53.5 +lon_0=-8 +k=1.000035 +x_0=200000 +y_0=250000 +ellps=mod_airy +towgs84=482.5,-130.6,564.6,-1.042,-0.214,-0.631,8.15 +units=m +no_defs',
    accuracy: 'about 1 m',
  },
  example: 'O 159 346',
};

/** A square of a grid in its own system, by its south-west corner. */
export interface GridSquare {
  west: number;
  south: number;
  size: number;
  crs: Crs;
}

/**
 * The square that a letter reference names: as many digits to the east as to the north, none for the 100 km square, five
 * each for a metre. Null for a text that is no such reference.
 */
export function squareOfReference(text: string): GridSquare | null {
  const [, letters, digits] = /^\s*([A-HJ-Z]{1,2})\s*((?:\d\s*){0,10})$/i.exec(text) ?? [];
  if (!letters) return null;
  const plain = digits.replaceAll(/\s/g, '');
  if (plain.length % 2 !== 0) return null;
  const [grid, east, north] = originOf(letters.toUpperCase());
  if (grid.letters(east, north) === null) return null;
  const half = plain.length / 2;
  const size = 10 ** (5 - half);
  return {
    west: east * 100_000 + Number(plain.slice(0, half) || 0) * size,
    south: north * 100_000 + Number(plain.slice(half) || 0) * size,
    size,
    crs: grid.crs,
  };
}

function originOf(letters: string): [NationalGrid, east: number, north: number] {
  if (letters.length === 1) return [IRISH, ...placeOf(letters)];
  const [[e1, n1], [e2, n2]] = [placeOf(letters[0]), placeOf(letters[1])];
  return [BRITISH, 5 * e1 + e2 - 10, 5 * n1 + n2 - 5];
}

/** The reference of a square of 100 km, 10 km, 1 km, 100 m, 10 m or 1 m; null outside the grid. */
export function referenceOf(grid: NationalGrid, west: number, south: number, size: number): string | null {
  const letters = grid.letters(Math.floor(west / 100_000), Math.floor(south / 100_000));
  if (letters === null) return null;
  const digits = 5 - Math.round(Math.log10(size));
  if (digits === 0) return letters;
  const part = (value: number) => String(Math.floor((value - Math.floor(value / 100_000) * 100_000) / size)).padStart(digits, '0');
  return `${letters} ${part(west)} ${part(south)}`;
}
