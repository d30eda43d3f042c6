import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { CRS84, type Crs } from '../crs/crs.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { Shape } from '../space/shape.ts';
import { distanceToShape } from '../space/within_distance.ts';
import { bufferedShape } from './buffered.ts';
import { Geos } from './geos.ts';
import { oneShape } from './one_shape.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});

const place = fc.tuple(fc.double({ min: -170, max: 170, noNaN: true }), fc.double({ min: -70, max: 70, noNaN: true }));
const step = fc.tuple(fc.double({ min: -0.05, max: 0.05, noNaN: true }), fc.double({ min: -0.05, max: 0.05, noNaN: true }));
const geometry = fc.oneof(
  place.map((coordinates): Geometry => ({ type: 'Point', coordinates })),
  fc.tuple(place, fc.array(step, { minLength: 1, maxLength: 4 })).map(([start, steps]): Geometry => {
    const coordinates = steps.reduce<Position[]>(
      (path, [dx, dy]) => [...path, [path[path.length - 1][0] + dx, path[path.length - 1][1] + dy]],
      [start],
    );
    return { type: 'LineString', coordinates };
  }),
);

function cornersOf(shape: Geometry): Position[] {
  if (shape.type === 'Polygon') return shape.coordinates.flat();
  return shape.type === 'MultiPolygon' ? shape.coordinates.flat(2) : [];
}

test('every corner of a widened shape is as far away as asked, to within the error that is told', () => {
  fc.assert(
    fc.property(geometry, fc.double({ min: 5, max: 5000, noNaN: true }), (shape, metres) => {
      const { geometry: wide, error } = bufferedShape(shape, metres, geos);
      const builder = new TableBuilder();
      builder.addFeature(shape, null);
      const [chunk] = builder.finish().geometry;
      for (const [lon, lat] of cornersOf(wide)) {
        const away = distanceToShape(chunk, 0, new Shape({ type: 'Point', coordinates: [lon, lat] }));
        expect(Math.abs(away - metres)).toBeLessThanOrEqual(error);
      }
      expect(error).toBeLessThan(metres * 1e-4 + 3e-3);
    }),
    { numRuns: 15 },
  );
});

test('a wider one covers the narrower', () => {
  fc.assert(
    fc.property(geometry, fc.integer({ min: 10, max: 1000 }), (shape, metres) => {
      const [narrow, wide] = [metres, metres * 1.1].map((reach) => bufferedShape(shape, reach, geos).geometry);
      expect(geos.covering(wide, (covers) => covers(narrow))).toBe(true);
    }),
    { numRuns: 12 },
  );
});

test('several shapes as one: neighbours are joined, crossing rings taken apart, and what was wrong is told', () => {
  const square = (x: number): Geometry => ({
    type: 'Polygon',
    coordinates: [
      [
        [x, 0],
        [x + 1, 0],
        [x + 1, 1],
        [x, 1],
        [x, 0],
      ],
    ],
  });
  const { shape, repaired } = oneShape([square(0), square(1)], geos);
  expect([shape.type, repaired]).toEqual(['Polygon', null]);
  const bow: Geometry = {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [1, 1],
        [1, 0],
        [0, 1],
        [0, 0],
      ],
    ],
  };
  const mended = oneShape([bow], geos);
  expect(mended.repaired).toBe('Self-intersection');
  expect(mended.shape.type).toBe('MultiPolygon');
  expect(geos.invalidity(mended.shape)).toBeNull();
  expect(oneShape([square(5)], geos).shape).toEqual(square(5));
});

describe('at a pole and across the 180° meridian', () => {
  const system = (name: string, definition: string): Crs => ({ name, label: name, definition: `${definition} +no_defs`, accuracy: null });
  const NORTH = system('EPSG:3995', '+proj=stere +lat_0=90 +lat_ts=71 +lon_0=0 +x_0=0 +y_0=0 +datum=WGS84 +units=m');
  const UTM_1 = system('EPSG:32601', '+proj=utm +zone=1 +datum=WGS84 +units=m');
  const WEB = system(
    'EPSG:3857',
    '+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +nadgrids=@null +wktext',
  );
  const line = (...coordinates: Position[]): Geometry => ({ type: 'LineString', coordinates });
  const boundsOf = (shape: Geometry) => new Shape(shape).box;
  const holds = (shape: Geometry, x: number, y: number) => new Shape(shape).covers(x, y);

  test('a line that passes the pole is round it, in its own system and in longitude and latitude', () => {
    const path = line([-50_000, 1000], [50_000, 1000]);
    const own = bufferedShape(path, 20_000, geos, { from: NORTH, to: NORTH }).geometry;
    expect([own.type, geos.invalidity(own), holds(own, 0, 0), holds(own, 0, 22_000)]).toEqual(['Polygon', null, true, false]);
    // The scale of the projection at the pole is 0.97.
    expect(boundsOf(own).map((side) => Math.round(side / 1000))).toEqual([-69, -18, 69, 20]);
    const world = bufferedShape(path, 20_000, geos, { from: NORTH }).geometry;
    expect(geos.invalidity(world)).toBeNull();
    expect([-180, -90, 0, 45, 180].map((lon) => holds(world, lon, 90))).toEqual([true, true, true, true, true]);
    expect(
      boundsOf(world)
        .slice(0, 3)
        .filter((side) => Math.abs(side) === 180),
    ).toEqual([-180, 180]);
  });

  test('beyond the 180° meridian it goes on at the other side, and web maps are cut there too', () => {
    const path = line([200_000, 5_000_000], [300_000, 5_000_000]);
    const own = bufferedShape(path, 200_000, geos, { from: UTM_1, to: UTM_1 }).geometry;
    expect(own.type).toBe('Polygon');
    for (const to of [CRS84, WEB]) {
      const cut = bufferedShape(path, 200_000, geos, { from: UTM_1, to }).geometry;
      expect([cut.type, geos.invalidity(cut)]).toEqual(['MultiPolygon', null]);
      const [west, , east] = boundsOf(cut);
      const half = to === CRS84 ? 180 : 20_037_508.34;
      expect([west, east].map((side) => Math.round((side / half) * 1e6) / 1e6)).toEqual([-1, 1]);
    }
  });

  test('what spans most of the earth is refused', () => {
    expect(() => bufferedShape(line([0, -90], [0, 90]), 100_000, geos)).toThrow('holds both poles');
    expect(() => bufferedShape(line([-150, 0], [0, 0], [150, 0]), 100_000, geos)).toThrow('spans most of the earth');
    expect(() => bufferedShape(line([0, 89], [0, 91]), 100_000, geos)).toThrow('outside the area');
  });
});

test('a shape that is not valid is widened by what it covers', () => {
  const bow: Geometry = {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [0.1, 0.1],
        [0.1, 0],
        [0, 0.1],
        [0, 0],
      ],
    ],
  };
  const { geometry } = bufferedShape(bow, 100, geos);
  expect(geos.invalidity(geometry)).toBeNull();
  expect([new Shape(geometry).covers(0.09, 0.05), new Shape(geometry).covers(0.05, 0.09)]).toEqual([true, false]);
});
