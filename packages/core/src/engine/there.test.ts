import type { Geometry } from 'geojson';
import { call, property } from '../filters/ast.ts';
import { emptyTree, type Group } from '../filters/tree.ts';
import { toMercator } from '../display/mercator.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Sifter } from '../sifting/sifter.ts';
import { LocalEngine } from './local_engine.ts';

const ring = [
  [7.9, 46.9],
  [8.1, 46.9],
  [8.1, 47.1],
  [7.9, 47.1],
  [7.9, 46.9],
];
const SHAPES: Geometry[] = [
  { type: 'Polygon', coordinates: [ring] },
  { type: 'Point', coordinates: [8, 47] },
  {
    type: 'LineString',
    coordinates: [
      [8, 46.95],
      [8, 47.05],
    ],
  },
  { type: 'Point', coordinates: [8, 47] },
  {
    type: 'GeometryCollection',
    geometries: [
      { type: 'Point', coordinates: [8, 47] },
      { type: 'Polygon', coordinates: [ring] },
    ],
  },
  { type: 'Point', coordinates: [9, 47] },
];
const builder = new TableBuilder();
builder.column('name');
for (const [n, shape] of SHAPES.entries()) builder.addFeature(shape, { name: n === 3 ? null : `f${n}`, n });
const engine = new LocalEngine(new Sifter(builder.finish(), 0));
const [x, y] = toMercator(8, 47);

test('at a place points come before lines before areas, of each what is kept first, with the name of each', async () => {
  const place = { plane: 'mercator' as const, x, y, reach: 50, nameColumn: 'name' };
  const all = await engine.there({ tree: emptyTree() }, place);
  expect(all.total).toBe(5);
  expect(all.features.every(({ distance }) => distance < 1)).toBe(true);
  expect(all.features.map(({ key, dimension, name }) => [key, dimension, name])).toEqual([
    [3, 0, null],
    [1, 0, 'f1'],
    [2, 1, 'f2'],
    [4, 2, 'f4'],
    [0, 2, 'f0'],
  ]);
  const tree: Group = { ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr: call('<', property('n'), 2) }] };
  const some = await engine.there({ tree }, { ...place, nameColumn: null });
  expect(some.features.map(({ key, kept, name }) => [key, kept, name])).toEqual([
    [1, true, null],
    [3, false, null],
    [2, false, null],
    [0, true, null],
    [4, false, null],
  ]);
});
