import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import RelateOp from 'jsts/org/locationtech/jts/operation/relate/RelateOp.js';
import { emptyMask, has, rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { ChordBracket, earthCentred, geodesicDistance, geodesicPoint } from './geodesic.ts';
import { markIntersecting } from './intersects.ts';
import { INSIDE, ON_BOUNDARY, OUTSIDE, PolygonLocator } from './polygon_locator.ts';
import { LocalPlane } from './local_plane.ts';
import { Shape } from './shape.ts';
import { lengthUnit } from './units.ts';
import { distanceToShape, markWithinDistance } from './within_distance.ts';

function chunkOf(geometries: Geometry[]) {
  const builder = new TableBuilder();
  for (const geometry of geometries) builder.addFeature(geometry, null);
  return builder.finish().geometry[0];
}
const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });
const within = (geometries: Geometry[], shape: Geometry, metres: number) => {
  const out = emptyMask(geometries.length);
  markWithinDistance(chunkOf(geometries), new Shape(shape), metres, out, 0);
  return [...rowsOf(out)];
};

describe('geodesics', () => {
  test('Flinders Peak to Buninyong, as in the GDA technical manual', () => {
    // ICSM, Geocentric Datum of Australia Technical Manual, worked example of Vincenty's inverse (GRS 80): 54 972.271 m.
    const dms = (d: number, m: number, s: number) => Math.sign(d) * (Math.abs(d) + m / 60 + s / 3600);
    const [lat1, lon1] = [dms(-37, 57, 3.7203), dms(144, 25, 29.52442)];
    const [lat2, lon2] = [dms(-37, 39, 10.15611), dms(143, 55, 35.38393)];
    expect(geodesicDistance(lon1, lat1, lon2, lat2)).toBeCloseTo(54_972.271, 2);
  });

  test('Wellington to Salamanca, as in the GeographicLib documentation', () => {
    expect(geodesicDistance(174.81, -41.32, -5.5, 40.96)).toBeCloseTo(19_959_679.267, 2);
  });

  test('a quarter of the meridian and of the equator', () => {
    // Defining constants of WGS 84 (NGA.STND.0036): the meridian quadrant is 10 001 965.729 m.
    expect(geodesicDistance(0, 0, 0, 90)).toBeCloseTo(10_001_965.729, 2);
    expect(geodesicDistance(0, 0, 90, 0)).toBeCloseTo((Math.PI / 2) * 6_378_137, 3);
  });

  test('the chord brackets the geodesic', () => {
    const place = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -90, max: 90, noNaN: true }));
    fc.assert(
      fc.property(
        place,
        fc.double({ min: 0, max: 360, noNaN: true }),
        fc.double({ min: 0.01, max: 9e6, noNaN: true }),
        ([lon, lat], azimuth, metres) => {
          const [lon2, lat2] = geodesicPoint(lon, lat, azimuth, metres);
          const [a, b] = [earthCentred(lon, lat), earthCentred(lon2, lat2)];
          const chord = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
          const { surelyWithin, surelyBeyond } = new ChordBracket(geodesicDistance(lon, lat, lon2, lat2));
          expect(chord).toBeGreaterThanOrEqual(surelyWithin);
          expect(chord).toBeLessThanOrEqual(surelyBeyond);
        },
      ),
      { numRuns: 2000 },
    );
  });
});

describe('within a distance', () => {
  test('agrees with the geodesic to the centimetre, all round', () => {
    for (const [lon, lat] of [
      [8.5, 47.4],
      [179.999, -16.8],
      [-179.9999, 65],
      [12, 89.9],
      [0, 0],
    ]) {
      for (let azimuth = 0; azimuth < 360; azimuth += 15) {
        for (const metres of [500, 25_000, 1_000_000]) {
          const inside = point(...geodesicPoint(lon, lat, azimuth, metres - 0.01));
          const outside = point(...geodesicPoint(lon, lat, azimuth, metres + 0.01));
          expect(within([inside, outside], point(lon, lat), metres)).toEqual([0]);
        }
      }
    }
  });

  test('reaches across the 180° meridian and over the pole', () => {
    expect(within([point(-179.99, 0), point(179, 0)], point(179.99, 0), 3000)).toEqual([0]);
    expect(within([point(180, 89.95), point(0, 89)], point(0, 89.95), 20_000)).toEqual([0]);
  });

  test('distances to lines and polygons are to their nearest place, 0 inside', () => {
    const square: Geometry = {
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 1],
          [0, 0],
        ],
      ],
    };
    const chunk = chunkOf([
      square,
      {
        type: 'LineString',
        coordinates: [
          [2, -1],
          [2, 1],
        ],
      },
    ]);
    expect(distanceToShape(chunk, 0, new Shape(point(0.5, 0.5)))).toBe(0);
    expect(distanceToShape(chunk, 0, new Shape(point(-0.01, 0)))).toBeCloseTo(geodesicDistance(-0.01, 0, 0, 0), 4);
    expect(distanceToShape(chunk, 1, new Shape(point(2.01, 0)))).toBeCloseTo(geodesicDistance(2.01, 0, 2, 0), 4);
    // The nearest place of a line is not one of its corners.
    expect(distanceToShape(chunk, 1, new Shape(point(1.99, 0.3)))).toBeLessThan(geodesicDistance(1.99, 0.3, 2, 1));
    expect(
      within(
        [square],
        {
          type: 'LineString',
          coordinates: [
            [1.001, -3],
            [1.001, 3],
          ],
        },
        120,
      ),
    ).toEqual([0]);
    expect(
      within(
        [square],
        {
          type: 'LineString',
          coordinates: [
            [1.001, -3],
            [1.001, 3],
          ],
        },
        100,
      ),
    ).toEqual([]);
  });

  test('the nearest place on an edge is nearer than any sampled one', () => {
    const coordinate = fc.tuple(fc.double({ min: -5, max: 5, noNaN: true }), fc.double({ min: 40, max: 50, noNaN: true }));
    fc.assert(
      fc.property(coordinate, coordinate, coordinate, (a, b, [x, y]) => {
        const distance = distanceToShape(chunkOf([{ type: 'LineString', coordinates: [a, b] }]), 0, new Shape(point(x, y)));
        let sampled = Infinity;
        for (let t = 0; t <= 1; t += 1 / 64)
          sampled = Math.min(sampled, geodesicDistance(x, y, a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])));
        expect(distance).toBeLessThanOrEqual(sampled + 1e-6);
        expect(distance).toBeGreaterThanOrEqual(sampled - geodesicDistance(a[0], a[1], b[0], b[1]) / 64);
      }),
      { numRuns: 150 },
    );
  });

  test('along a short edge the nearest place is found to the micrometre', () => {
    const near = (range: number) => fc.double({ min: -range, max: range, noNaN: true });
    const latitude = fc.double({ min: -85, max: 85, noNaN: true });
    fc.assert(
      fc.property(latitude, near(0.04), near(0.04), near(0.1), near(0.1), (lat, dx, dy, px, py) => {
        const at = (t: number) => geodesicDistance(10 + px, lat + py, 10 + t * dx, lat + t * dy);
        let [low, high] = [0, 1];
        for (let i = 0; i < 100; i++) {
          const [a, b] = [low + (high - low) / 3, high - (high - low) / 3];
          if (at(a) < at(b)) high = b;
          else low = a;
        }
        const line: Geometry = {
          type: 'LineString',
          coordinates: [
            [10, lat],
            [10 + dx, lat + dy],
          ],
        };
        const distance = distanceToShape(chunkOf([line]), 0, new Shape(point(10 + px, lat + py)));
        expect(Math.abs(distance - Math.min(at(low), at(0), at(1)))).toBeLessThan(1e-6);
      }),
      { numRuns: 200 },
    );
  });

  test('lengths in the plane round a position are those on the ellipsoid, as nearly as it says', () => {
    const place = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -88, max: 88, noNaN: true }));
    fc.assert(
      fc.property(
        place,
        fc.double({ min: 0, max: 360, noNaN: true }),
        fc.double({ min: 0.01, max: 60_000, noNaN: true }),
        ([lon, lat], azimuth, metres) => {
          const [x, y] = geodesicPoint(lon, lat, azimuth, metres);
          const plane = new LocalPlane(lon, lat);
          const error = plane.error(metres);
          fc.pre(Number.isFinite(error));
          const flat = plane.distanceToEdge(x, y, x, y);
          expect(flat).toBeLessThanOrEqual(metres * (1 + error) + 1e-6);
          expect(flat).toBeGreaterThanOrEqual(metres / (1 + error) - 1e-6);
        },
      ),
      { numRuns: 500 },
    );
  });

  test('units', () => {
    expect([lengthUnit('m'), lengthUnit('Miles'), lengthUnit('feet'), lengthUnit('nautical miles'), lengthUnit('furlong')]).toEqual([
      'm',
      'mi',
      'ft',
      'nmi',
      null,
    ]);
  });
});

describe('point in polygon', () => {
  const ring: Position[] = [
    [0, 0],
    [10, 0],
    [10, 10],
    [5, 5],
    [0, 10],
    [0, 0],
  ];
  const hole: Position[] = [
    [4, 1],
    [6, 1],
    [6, 3],
    [4, 3],
    [4, 1],
  ];
  const locator = PolygonLocator.ofRings([ring, hole].map((positions) => Float64Array.from(positions.flat())));
  test.each([
    [1, 1, INSIDE],
    [5, 2, OUTSIDE], // in the hole
    [5, 1, ON_BOUNDARY],
    [5, 5, ON_BOUNDARY], // a corner at which a ray passes
    [5, 7, OUTSIDE],
    [0, 0, ON_BOUNDARY],
    [10, 5, ON_BOUNDARY],
    [2.5, 0, ON_BOUNDARY],
    [-1, 5, OUTSIDE],
    [1, 5, INSIDE],
    [7.5, 7.5, ON_BOUNDARY],
    [7.5, 7.5 + 1e-15, OUTSIDE],
  ])('%d, %d', (x, y, where) => expect(locator.locate(x, y)).toBe(where));
});

// OGC 06-103r4 gives intersects as DE-9IM; the Java topology suite's port is the reference that decides here.
describe('intersects, against a reference library', () => {
  const reader = new GeoJSONReader();
  // A small whole-number grid makes touching, overlapping and collinear cases common.
  const grid = fc.tuple(fc.nat(8), fc.nat(8));
  const box = fc.tuple(grid, fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 4 })).map(([[x, y], w, h]): Position[] => [
    [x, y],
    [x + w, y],
    [x + w, y + h],
    [x, y + h],
    [x, y],
  ]);
  const triangle = fc
    .tuple(grid, grid, grid)
    .filter(([a, b, c]) => (b[0] - a[0]) * (c[1] - a[1]) !== (c[0] - a[0]) * (b[1] - a[1]))
    .map(([a, b, c]): Position[] => [a, b, c, a]);
  const line = fc.array(grid, { minLength: 2, maxLength: 4 }).filter((ps) => ps.some(([x, y]) => x !== ps[0][0] || y !== ps[0][1]));
  const geometry: fc.Arbitrary<Geometry> = fc.oneof(
    grid.map((coordinates): Geometry => ({ type: 'Point', coordinates })),
    fc.array(grid, { minLength: 1, maxLength: 3 }).map((coordinates): Geometry => ({ type: 'MultiPoint', coordinates })),
    line.map((coordinates): Geometry => ({ type: 'LineString', coordinates })),
    fc.oneof(box, triangle).map((shell): Geometry => ({ type: 'Polygon', coordinates: [shell] })),
    grid.map(([x, y]): Geometry => {
      const frame = (d: number): Position[] => [
        [x + d, y + d],
        [x + 6 - d, y + d],
        [x + 6 - d, y + 6 - d],
        [x + d, y + 6 - d],
        [x + d, y + d],
      ];
      return { type: 'Polygon', coordinates: [frame(0), frame(2).reverse()] };
    }),
  );
  test('same answers on thousands of pairs', () => {
    fc.assert(
      fc.property(fc.array(geometry, { minLength: 20, maxLength: 40 }), geometry, (features, shape) => {
        const out = emptyMask(features.length);
        markIntersecting(chunkOf(features), new Shape(shape), out, 0);
        const other = reader.read(shape);
        features.forEach((feature, row) =>
          expect([feature, shape, has(out, row)]).toEqual([feature, shape, RelateOp.intersects(reader.read(feature), other)]),
        );
      }),
      { numRuns: 150 },
    );
  });
});
