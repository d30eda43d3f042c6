import { forward } from 'mgrs';
import type { Geometry, Position } from 'geojson';
import { convertGeometry, OutsideCrsError } from '../crs/convert.ts';
import { fromLonLat, toLonLat, type Crs } from '../crs/crs.ts';
import type { Box } from '../features/geometry.ts';
import { BRITISH, IRISH, referenceOf, type GridSquare, type NationalGrid } from './national.ts';

/** A grid over the earth, of squares or hexagons in a projected system, or of degrees. */
export type Grid =
  /** Cells of a size in metres, laid from the origin of the system. */
  | { kind: 'square' | 'hexagon'; size: number; crs: Crs }
  /** Cells of so many degrees of longitude and latitude. */
  | { kind: 'graticule'; size: number }
  /** Squares by their references, 1 m to 100 km. */
  | { kind: 'mgrs' | 'british' | 'irish'; size: number };

/** A cell of a grid with its reference. */
export interface GridCell {
  name: string;
  /** In longitude and latitude, its edges as straight as they are in the grid's own system, to a millimetre. */
  shape: Geometry;
}

/** Sizes that squares with a reference can have. */
export const REFERENCE_SIZES = [100_000, 10_000, 1000, 100, 10, 1];

/** UTM zone, 1 to 60, with the exceptions of Norway and Svalbard. Source: NGA.STND.0037, section "UTM". */
export function utmZone(lon: number, lat: number): number {
  if (lat >= 56 && lat < 64 && lon >= 3 && lon < 12) return 32;
  if (lat >= 72 && lat <= 84 && lon >= 0 && lon < 42) return [31, 33, 35, 37][lon < 9 ? 0 : lon < 21 ? 1 : lon < 33 ? 2 : 3];
  return Math.max(1, Math.min(60, Math.floor((lon + 180) / 6) + 1));
}

/**
 * The system of a UTM zone on WGS 84.
 * @param zone 1 to 60
 */
export function utm(zone: number, south: boolean): Crs {
  return {
    name: `EPSG:${(south ? 32700 : 32600) + zone}`,
    label: `WGS 84 / UTM zone ${zone}${south ? 'S' : 'N'}`,
    definition: `+proj=utm +zone=${zone}${south ? ' +south' : ''} +datum=WGS84 +units=m +no_defs`,
    accuracy: null,
  };
}

/** The cell that a position lies in; on an edge the one to the north or east. Null where the grid has none. */
export function cellAt(grid: Grid, lon: number, lat: number): GridCell | null {
  if (grid.kind === 'graticule') return graticuleCell(grid.size, Math.floor(lon / grid.size), Math.floor(lat / grid.size));
  const crs = systemOf(grid, lon, lat);
  if (!crs) return null;
  const [x, y] = fromLonLat(crs)(lon, lat);
  if (!Number.isFinite(x) || !Number.isFinite(y)) return null;
  if (grid.kind === 'hexagon') return hexagon(grid.size, crs, ...hexagonAt(grid.size, x, y));
  const [west, south] = [x, y].map((value) => Math.floor(value / grid.size) * grid.size);
  return squareCell(grid, { west, south, size: grid.size, crs });
}

/**
 * The cells that a box of longitudes and latitudes meets, or null when there are more than `most`. Squares of MGRS are cut
 * at the edges of their zones.
 */
export function cellsIn(grid: Grid, box: Box, most: number): GridCell[] | null {
  const [west, south, east, north] = box;
  if (grid.kind === 'graticule') {
    const [from, to] = [west, east].map((lon) => Math.floor(Math.max(-180, Math.min(180 - 1e-9, lon)) / grid.size));
    const [low, high] = [south, north].map((lat) => Math.floor(Math.max(-90, Math.min(90 - 1e-9, lat)) / grid.size));
    if ((to - from + 1) * (high - low + 1) > most) return null;
    return range(from, to).flatMap((i) => range(low, high).map((j) => graticuleCell(grid.size, i, j)));
  }
  if (grid.kind !== 'mgrs') {
    const crs = systemOf(grid, west, south)!;
    return projectedCells(grid, crs, boxIn(crs, box), most);
  }
  const cells: GridCell[] = [];
  const [low, high] = [Math.max(-80, south), Math.min(84, north)];
  for (const below of [true, false]) {
    const [bottom, top] = below ? [low, Math.min(0, high)] : [Math.max(0, low), high];
    if (bottom >= top) continue;
    const zones = new Set(range(utmZone(west, bottom), utmZone(Math.min(east, 179.999), bottom)));
    for (const zone of zones) {
      const [left, right] = [Math.max(west, zone * 6 - 186), Math.min(east, zone * 6 - 180)];
      if (left >= right) continue;
      const crs = utm(zone, below);
      const found = projectedCells(grid, crs, boxIn(crs, [left, bottom, right, top]), most - cells.length);
      if (!found) return null;
      cells.push(...found);
    }
  }
  return cells;
}

function systemOf(grid: Exclude<Grid, { kind: 'graticule' }>, lon: number, lat: number): Crs | null {
  if (grid.kind === 'british') return BRITISH.crs;
  if (grid.kind === 'irish') return IRISH.crs;
  if (grid.kind === 'square' || grid.kind === 'hexagon') return grid.crs;
  return lat < -80 || lat > 84 ? null : utm(utmZone(lon, lat), lat < 0);
}

/** The box of a system that holds one of longitudes and latitudes. */
function boxIn(crs: Crs, [west, south, east, north]: Box): Box {
  const convert = fromLonLat(crs);
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i <= 16; i++) {
    const [lon, lat] = [west + ((east - west) * i) / 16, south + ((north - south) * i) / 16];
    for (const [a, b] of [
      [lon, south],
      [lon, north],
      [west, lat],
      [east, lat],
      [lon, lat],
    ]) {
      const [x, y] = convert(a, b);
      if (!Number.isFinite(x) || !Number.isFinite(y)) continue;
      box[0] = Math.min(box[0], x);
      box[1] = Math.min(box[1], y);
      box[2] = Math.max(box[2], x);
      box[3] = Math.max(box[3], y);
    }
  }
  return box;
}

function projectedCells(grid: Exclude<Grid, { kind: 'graticule' }>, crs: Crs, box: Box, most: number): GridCell[] | null {
  if (!(box[0] <= box[2])) return [];
  if (grid.kind === 'hexagon') return hexagonsIn(grid.size, crs, box, most);
  const { size } = grid;
  const [from, low, to, high] = box.map((value) => Math.floor(value / size));
  if ((to - from + 1) * (high - low + 1) > most) return null;
  return range(from, to).flatMap((i) =>
    range(low, high).flatMap((j) => squareCell(grid, { west: i * size, south: j * size, size, crs }) ?? []),
  );
}

function squareCell(grid: Grid, square: GridSquare): GridCell | null {
  const name = nameOfSquare(grid, square);
  const shape = name === null ? null : shapeOfSquare(square);
  return name !== null && shape ? { name, shape } : null;
}

function nameOfSquare({ kind, size }: Grid, { west, south, crs }: GridSquare): string | null {
  const national: NationalGrid | null = kind === 'british' ? BRITISH : kind === 'irish' ? IRISH : null;
  if (national) return referenceOf(national, west, south, size);
  if (kind !== 'mgrs') return `${west} ${south}`;
  // A place well inside tells the square; its digits are those of the corner.
  const [lon, lat] = toLonLat(crs)(west + size / 2, south + size / 2);
  if (!Number.isFinite(lon) || lat < -80 || lat > 84 || utm(utmZone(lon, lat), lat < 0).name !== crs.name) return null;
  const digits = 5 - Math.round(Math.log10(size));
  const whole = forward([lon, lat], 5);
  const [, head, e, n] = /^(\d+[A-Z]{3})(\d{5})(\d{5})$/.exec(whole)!;
  const [zone, square] = [head.slice(0, -2), head.slice(-2)];
  return digits === 0 ? `${zone} ${square}` : `${zone} ${square} ${e.slice(0, digits)} ${n.slice(0, digits)}`;
}

/** A square as a polygon in longitude and latitude; null where it cannot be expressed. */
export function shapeOfSquare({ west, south, size, crs }: GridSquare): Geometry | null {
  const [east, north] = [west + size, south + size];
  return polygonIn(crs, [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ]);
}

function polygonIn(crs: Crs, ring: Position[]): Geometry | null {
  try {
    return convertGeometry({ type: 'Polygon', coordinates: [ring] }, toLonLat(crs), 1e-8);
  } catch (error) {
    if (error instanceof OutsideCrsError) return null;
    throw error;
  }
}

function graticuleCell(size: number, i: number, j: number): GridCell {
  // From the number of the cell, so that neighbours share their edges to the last digit.
  const [west, east, south, north] = [i, i + 1, j, j + 1].map((n) => Number((n * size).toFixed(9)));
  const ring = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ];
  return { name: `${degrees(south, 'N', 'S')} ${degrees(west, 'E', 'W')}`, shape: { type: 'Polygon', coordinates: [ring] } };
}

const degrees = (value: number, plus: string, minus: string) => `${Math.abs(value)}°${value < 0 ? minus : plus}`;

/** Width of a hexagon across its flat sides is the size; rows are three quarters of its height apart. */
const heightOf = (size: number) => (2 * size) / Math.sqrt(3);

/** Column and row of the hexagon that a position lies in; rows with odd numbers are half a width to the east. */
function hexagonAt(size: number, x: number, y: number): [column: number, row: number] {
  const step = 0.75 * heightOf(size);
  const nearRow = Math.round(y / step);
  let best: [number, number] = [0, 0];
  let least = Infinity;
  for (let row = nearRow - 1; row <= nearRow + 1; row++) {
    const shift = Math.abs(row % 2) / 2;
    const column = Math.round(x / size - shift);
    const away = Math.hypot(x - (column + shift) * size, y - row * step);
    if (away < least) [least, best] = [away, [column, row]];
  }
  return best;
}

function hexagon(size: number, crs: Crs, column: number, row: number): GridCell | null {
  const [x, y] = [(column + Math.abs(row % 2) / 2) * size, row * 0.75 * heightOf(size)];
  const [half, quarter] = [heightOf(size) / 2, heightOf(size) / 4];
  const ring = [
    [x, y - half],
    [x + size / 2, y - quarter],
    [x + size / 2, y + quarter],
    [x, y + half],
    [x - size / 2, y + quarter],
    [x - size / 2, y - quarter],
    [x, y - half],
  ];
  const shape = polygonIn(crs, ring);
  return shape && { name: `column ${column} row ${row}`, shape };
}

function hexagonsIn(size: number, crs: Crs, [west, south, east, north]: Box, most: number): GridCell[] | null {
  const step = 0.75 * heightOf(size);
  const [low, high] = [Math.floor(south / step), Math.ceil(north / step)];
  const [from, to] = [Math.floor(west / size) - 1, Math.ceil(east / size)];
  if ((to - from + 1) * (high - low + 1) > most) return null;
  return range(low, high).flatMap((row) => range(from, to).flatMap((column) => hexagon(size, crs, column, row) ?? []));
}

function range(from: number, to: number): number[] {
  return Array.from({ length: Math.max(0, to - from + 1) }, (_, i) => from + i);
}
