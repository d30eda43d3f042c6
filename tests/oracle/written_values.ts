import type { Geometry, Position } from 'geojson';
import type { Cell, Records, ValueKind } from './records.ts';

/** A value as another program reads it from a file. */
export type Read = number | string | boolean | null | { day: string } | { moment: number };
export interface WrittenFeature {
  values: Record<string, Read>;
  /** Positions of the shape, each once, in order; null for no shape. */
  at: Position[] | null;
}

/** What a format is known not to keep, as docs/ACCURACY.md says. */
interface Keeps {
  /** There is no empty text beside a missing one. */
  noEmptyText?: boolean;
  /** A date is the midnight that begins it. */
  midnights?: boolean;
  /** Shapes are in longitude and latitude whatever the source is in. */
  lonLat?: boolean;
  /** Shapes are not looked at. */
  noShapes?: boolean;
}
const KEEPS: Record<string, Keeps> = {
  geopackage: {},
  // RFC 7946 and RFC 8142 know no other system.
  geojson: { lonLat: true },
  geojsonseq: { lonLat: true },
  flatgeobuf: { midnights: true },
  geoparquet: {},
  shapefile: { noEmptyText: true },
  topojson: { noShapes: true },
  kml: { noEmptyText: true, lonLat: true },
  kmz: { noEmptyText: true, lonLat: true },
  csv: { noEmptyText: true, noShapes: true },
  workbook: { noEmptyText: true, noShapes: true },
};

/** The first difference between the kept features and what another program finds in a file of them, in words. */
export function valuesDiffer(format: string, found: readonly WrittenFeature[], records: Records, kept: readonly number[]): string | null {
  const keeps = KEEPS[format];
  const byRow = new Map(found.map((feature) => [Number(feature.values.row_no), feature]));
  const rows = found.map(({ values }) => Number(values.row_no)).sort((a, b) => a - b);
  if (JSON.stringify(rows) !== JSON.stringify(kept)) return `the rows are ${JSON.stringify(rows)}, not ${JSON.stringify(kept)}`;
  const names = Object.keys(records.types);
  for (const row of kept) {
    const { values, at } = byRow.get(row)!;
    // Names may be cut, but stand in their order.
    const inOrder = format === 'shapefile' ? Object.values(values) : names.map((name) => values[name]);
    for (const [i, name] of names.entries()) {
      const value = records.rows[row][name];
      if (!isSame(inOrder[i], value, records.types[name], keeps))
        return `${name} of row ${row} is ${JSON.stringify(inOrder[i])}, not ${JSON.stringify(value)}`;
    }
    if (keeps.noShapes || (keeps.lonLat && records.place.system !== null)) continue;
    const shape = positionsOf(records.shapes[row]);
    if (JSON.stringify(at ?? []) !== JSON.stringify(shape))
      return `the shape of row ${row} has ${JSON.stringify(at)}, not ${JSON.stringify(shape)}`;
  }
  return null;
}

function isSame(read: Read | undefined, value: Cell, kind: ValueKind, keeps: Keeps): boolean {
  if (read === undefined) return false;
  const missing = read === null || (read === '' && keeps.noEmptyText === true) || (read === '?' && kind === 'boolean');
  if (value === null || (value === '' && (kind !== 'text' || keeps.noEmptyText))) return missing;
  if (missing) return false;
  if (typeof value === 'number') return typeof read === 'object' ? false : Number(read) === value;
  if (typeof value === 'boolean')
    return typeof read !== 'object' && [String(value), String(Number(value)), value ? 'T' : 'F'].includes(String(read));
  if (typeof read === 'object') {
    if (kind === 'date')
      return value.length === 10 && ('day' in read ? read.day === value : keeps.midnights === true && read.moment === Date.parse(value));
    return kind === 'datetime' && 'moment' in read && read.moment === momentOf(value);
  }
  if (kind === 'datetime') return momentOf(String(read)) === momentOf(value);
  return read === value;
}

/** Milliseconds since 1970; a time without an offset is taken as UTC. */
function momentOf(text: string): number {
  const iso = text.replace(' ', 'T');
  return Date.parse(/(Z|[+-]\d\d:?\d\d)$/.test(iso) ? iso : `${iso}Z`);
}

function positionsOf(shape: Geometry | null): Position[] {
  const found = new Map<string, Position>();
  const collect = (value: unknown): void => {
    if (!Array.isArray(value)) return;
    const [x, y] = value as unknown[];
    if (typeof x === 'number' && typeof y === 'number') found.set(`${x} ${y}`, [x, y]);
    else for (const item of value) collect(item);
  };
  if (shape && 'coordinates' in shape) collect(shape.coordinates);
  return [...found.values()].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
}
