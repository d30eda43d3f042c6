import type { Geometry } from 'geojson';
import fc from 'fast-check';
import { geometryOfWkb } from '../formats/geometry/wkb.ts';
import { wkbOfGeometry } from '../formats/geometry/write_wkb.ts';
import { geometryAt } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Geos } from './geos.ts';
import { invalidRows, repairedGeometry } from './validity.ts';

const polygon = (...rings: [number, number][][]): Geometry => ({ type: 'Polygon', coordinates: rings });
const square: [number, number][] = [
  [0, 0],
  [10, 0],
  [10, 10],
  [0, 10],
  [0, 0],
];
const bow: [number, number][] = [
  [0, 0],
  [2, 2],
  [2, 0],
  [0, 2],
  [0, 0],
];

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

// The conditions of OGC 06-103r4, clause 6.1.11, one violated in each.
test.each<[string, Geometry, RegExp | null, [number, number] | null]>([
  ['a square', polygon(square), null, null],
  ['a ring that crosses itself', polygon(bow), /Self-intersection/, [1, 1]],
  [
    'a hole outside its shell',
    polygon(square, [
      [20, 20],
      [21, 20],
      [21, 21],
      [20, 20],
    ]),
    /Hole lies outside shell/,
    null,
  ],
  [
    'nested shells',
    {
      type: 'MultiPolygon',
      coordinates: [
        [square],
        [
          [
            [2, 2],
            [3, 2],
            [3, 3],
            [2, 2],
          ],
        ],
      ],
    },
    /Nested shells/,
    null,
  ],
  [
    'a hole that cuts the polygon in two',
    polygon(square, [
      [0, 0],
      [10, 10],
      [10, 10],
      [0, 0],
    ]),
    /./,
    null,
  ],
])('%s', (_, geometry, reason, place) => {
  const found = geos.invalidity(geometry);
  if (reason === null) expect(found).toBeNull();
  else {
    expect(found!.reason).toMatch(reason);
    if (place) expect(found!.location).toEqual(place);
  }
});

test('invalid rows are found and repaired in a copy; the rest stays as it is', () => {
  const builder = new TableBuilder();
  const shapes: (Geometry | null)[] = [
    polygon(square),
    polygon(bow),
    null,
    { type: 'LineString', coordinates: [[1, 1]] },
    polygon([
      [0, 0],
      [1, 1],
      [0, 0],
    ]),
    { type: 'Point', coordinates: [5, 5] },
  ];
  shapes.forEach((shape) => builder.addFeature(shape, null));
  const table = builder.finish();
  const found = [...invalidRows(table, geos)];
  expect(found.map(({ row, reason }) => [row, reason])).toEqual([
    [1, 'Self-intersection'],
    [3, 'Too few positions'],
    [4, 'Too few positions'],
  ]);
  const repaired = { ...table, geometry: repairedGeometry(table, new Set(found.map(({ row }) => row)), geos) };
  expect(geometryAt(repaired, 0)).toEqual(shapes[0]);
  expect(geometryAt(repaired, 1)).toMatchObject({ type: 'MultiPolygon' });
  expect([...invalidRows(repaired, geos)]).toEqual([]);
  expect(geometryAt(table, 1)).toEqual(shapes[1]);
});

test('well-known binary comes back the same', () => {
  const position = fc.tuple(fc.double({ noNaN: true, noDefaultInfinity: true }), fc.double({ noNaN: true, noDefaultInfinity: true }));
  const line = fc.array(position, { minLength: 2, maxLength: 5 });
  const geometry = fc.oneof(
    position.map((coordinates): Geometry => ({ type: 'Point', coordinates })),
    line.map((coordinates): Geometry => ({ type: 'MultiPoint', coordinates })),
    line.map((coordinates): Geometry => ({ type: 'LineString', coordinates })),
    fc.array(line, { minLength: 1, maxLength: 3 }).map((coordinates): Geometry => ({ type: 'Polygon', coordinates })),
    fc
      .array(fc.array(line, { minLength: 1, maxLength: 2 }), { minLength: 1, maxLength: 3 })
      .map((coordinates): Geometry => ({ type: 'MultiPolygon', coordinates })),
  );
  fc.assert(
    fc.property(fc.array(geometry, { minLength: 1, maxLength: 4 }), (geometries) => {
      for (const one of geometries) expect(geometryOfWkb(wkbOfGeometry(one))).toEqual(one);
      const all: Geometry = { type: 'GeometryCollection', geometries };
      expect(geometryOfWkb(wkbOfGeometry(all))).toEqual(all);
    }),
  );
  const z: Geometry = {
    type: 'LineString',
    coordinates: [
      [1, 2, 3],
      [4, 5, 6],
    ],
  };
  expect(geometryOfWkb(wkbOfGeometry(z))).toEqual(z);
});
