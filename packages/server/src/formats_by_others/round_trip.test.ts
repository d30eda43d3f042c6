import fc from 'fast-check';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Geometry, Position } from 'geojson';
import {
  chosenLayer,
  geometryAt,
  layersIn,
  readLayer,
  TableBuilder,
  valueAt,
  writtenFormatNamed,
  type FeatureTable,
  type WrittenLayer,
} from '@clean-sieve/core';
import { wktOf } from '../crs/epsg.ts';
import { writeLayers } from '../export/write_layers.ts';
import { fileInput, host } from '../files/file_input.ts';

// Whatever a table holds, what is written of it reads back as the same features, values and blanks; of each format, what it
// is known not to keep is named beside it. Other programs read the same writers' files in written.test.ts.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-round-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const coordinate = (most: number) =>
  fc
    .oneof(fc.integer({ min: -most, max: most }), fc.double({ min: -most, max: most, noNaN: true }))
    .map((value) => (Object.is(value, -0) ? 0 : value));
const position: fc.Arbitrary<Position> = fc.tuple(coordinate(180), coordinate(85));
const line = fc.array(position, { minLength: 2, maxLength: 6 });
/** Squares with or without a hole; those of one shape lie apart, since files without nesting could not tell whose a hole is. */
const polygonFrom = (west: number) =>
  fc
    .tuple(fc.integer({ min: west, max: west + 40 }), fc.integer({ min: -80, max: 70 }), fc.integer({ min: 2, max: 9 }), fc.boolean())
    .map(([x, y, size, holed]) => {
      const shell = [
        [x, y],
        [x + size, y],
        [x + size, y + size],
        [x, y + size],
        [x, y],
      ];
      const hole = [
        [x + 0.5, y + 0.5],
        [x + 0.5, y + 0.75],
        [x + 0.75, y + 0.75],
        [x + 0.75, y + 0.5],
        [x + 0.5, y + 0.5],
      ];
      return holed ? [shell, hole] : [shell];
    });
const polygons = fc.tuple(polygonFrom(-170), polygonFrom(-100), polygonFrom(0));
const several = <T>(one: fc.Arbitrary<T>) => fc.array(one, { minLength: 2, maxLength: 3 });
type Kind = 'points' | 'lines' | 'polygons';
const SHAPES: Record<Kind, fc.Arbitrary<Geometry>> = {
  points: position.map((coordinates): Geometry => ({ type: 'Point', coordinates })),
  lines: fc.oneof(
    line.map((coordinates): Geometry => ({ type: 'LineString', coordinates })),
    several(line).map((coordinates): Geometry => ({ type: 'MultiLineString', coordinates })),
  ),
  polygons: fc.oneof(
    polygonFrom(-170).map((coordinates): Geometry => ({ type: 'Polygon', coordinates })),
    polygons.map((coordinates): Geometry => ({ type: 'MultiPolygon', coordinates })),
  ),
};

const text = fc.string({
  unit: fc.constantFrom('a', 'Z', '0', ' ', ',', ';', '"', "'", '\n', '\t', '<', '&', '=', '-', 'é', 'ß', '木', '🌳'),
  maxLength: 12,
});
const day = fc.integer({ min: -20_000, max: 40_000 }).map((days) => new Date(days * 86_400_000).toISOString().slice(0, 10));
const number = fc
  .oneof(fc.integer(), fc.double({ noNaN: true, noDefaultInfinity: true }), fc.maxSafeInteger())
  .map((value) => (Object.is(value, -0) ? 0 : value));
const row = fc.record({
  text: fc.option(text, { freq: 5 }),
  number: fc.option(number, { freq: 5 }),
  whole: fc.option(fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }), { freq: 5 }),
  lit: fc.option(fc.boolean(), { freq: 5 }),
  seen: fc.option(day, { freq: 5 }),
  at: fc.option(
    fc.integer({ min: -2_000_000_000, max: 4_000_000_000 }).map((s) => new Date(s * 1000).toISOString()),
    { freq: 5 },
  ),
});
type Row = typeof row extends fc.Arbitrary<infer T> ? T : never;

/** The first row fills every column, so that each has its type whatever follows. */
const FIRST: Row = {
  text: 'x y',
  number: 0.5,
  whole: 1,
  lit: true,
  seen: '2024-05-31',
  at: '2024-05-31T12:30:00.000Z',
};

function tableOf(rows: { values: Row; shape: Geometry | null }[]): FeatureTable {
  const builder = new TableBuilder();
  Object.keys(FIRST).forEach((name) => builder.column(name));
  for (const { values, shape } of rows) builder.addFeature(shape, values);
  return builder.finish();
}

async function thereAndBack(format: string, ending: string, table: FeatureTable): Promise<FeatureTable> {
  const path = join(folder, `there.${ending}`);
  rmSync(path, { force: true });
  const rows = Uint32Array.from({ length: table.rows }, (_, i) => i);
  const layer: WrittenLayer = {
    name: 'there',
    description: null,
    table,
    rows,
    shapes: true,
    about: new Map(),
    colour: '#2c5b4b',
    wkt: wktOf(table.crs),
    coordinates: 'wkt',
    guarded: false,
    made: new Date(0),
  };
  await writeLayers(path, writtenFormatNamed(format), [layer]);
  const input = await fileInput(path);
  return (await readLayer(chosenLayer(await layersIn(input, host), undefined, ''), {}, host)).table;
}

/** A single shape as a multiple one, for formats that have one kind a layer. */
function multiple(shape: Geometry | null): Geometry | null {
  if (shape?.type === 'LineString') return { type: 'MultiLineString', coordinates: [shape.coordinates] };
  return shape?.type === 'Polygon' ? { type: 'MultiPolygon', coordinates: [shape.coordinates] } : shape;
}
/** Rings whatever corner they begin with and whichever way they run. */
function anyWay(shape: Geometry | null): unknown {
  const turned = (one: Position[]) => [one, one.toReversed()].map((way) => JSON.stringify(way)).sort()[0];
  if (shape?.type !== 'MultiPolygon') return shape;
  return shape.coordinates.map((rings) => rings.map(turned)).sort();
}

interface Keeps {
  ending: string;
  /** What a value is after it was there, where that is not the value itself. */
  value?: (value: unknown, name: keyof Row) => unknown;
  /** Features do not stand in their order. */
  sorted?: boolean;
}
const FORMATS: Record<string, Keeps> = {
  geopackage: { ending: 'gpkg' },
  geojson: { ending: 'geojson' },
  geojsonseq: { ending: 'geojsonl' },
  geoparquet: { ending: 'parquet' },
  // Sorted along a curve; has no dates, so that midnights stand for days.
  flatgeobuf: { ending: 'fgb', sorted: true },
  // Text is all that there is: nothing tells an empty text from a missing one, and white space round a text goes.
  csv: { ending: 'csv', value: (value, name) => (name === 'text' && value === '' ? null : value) },
  // Names of ten characters hold these; empty texts are missing ones, and spaces at the end go.
  shapefile: {
    ending: 'zip',
    value: (value, name) => (name === 'text' && typeof value === 'string' ? value.replace(/ +$/, '') || null : value),
  },
};

const instant = (value: unknown) => (typeof value === 'string' ? new Date(value).toISOString() : value);

describe.each(Object.entries(FORMATS))('%s', (format, { ending, value: kept = (value) => value, sorted = false }) => {
  test.each(['points', 'lines', 'polygons'] as const)('%s', async (kind) => {
    const feature = fc.record({ values: row, shape: fc.option(SHAPES[kind], { freq: 6 }) });
    await fc.assert(
      fc.asyncProperty(SHAPES[kind], fc.array(feature, { maxLength: 12 }), async (shape, more) => {
        const features = [{ values: FIRST, shape }, ...more];
        const back = await thereAndBack(format, ending, tableOf(features));
        expect(back.rows).toBe(features.length);
        const column = (name: string) => back.columns.find((one) => one.name === name);
        const found = features.map((_, i) => ({
          shape: JSON.stringify(anyWay(multiple(geometryAt(back, i)))),
          values: Object.keys(FIRST).map((name) => {
            const value = column(name) ? valueAt(column(name)!, i) : null;
            return name === 'at' ? instant(value) : value;
          }),
        }));
        const expected = features.map(({ shape: own, values }) => ({
          shape: JSON.stringify(anyWay(multiple(own))),
          values: Object.entries(values).map(([name, value]) => kept(value, name as keyof Row) ?? null),
        }));
        const inOrder = (list: typeof found) => (sorted ? list.map((one) => JSON.stringify(one)).sort() : list);
        expect(inOrder(found)).toEqual(inOrder(expected));
      }),
      { numRuns: 25 },
    );
  });
});
