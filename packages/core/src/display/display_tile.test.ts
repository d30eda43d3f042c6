import { geoAzimuthalEqualArea, geoEqualEarth, type GeoProjection } from 'd3';
import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';
import { displayTile } from './display_tile.ts';
import { planeNamed, type PlaneName } from './plane.ts';
import { packTile, unpackTile, type DisplayTile } from './tile_bytes.ts';

function tableOf(...shapes: (Geometry | null)[]): FeatureTable {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, null);
  return builder.finish();
}
const square = (x: number, y: number, w: number, h = w): Position[] => [
  [x, y],
  [x + w, y],
  [x + w, y + h],
  [x, y + h],
  [x, y],
];
const polygon = (...coordinates: Position[][]): Geometry => ({ type: 'Polygon', coordinates });
const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });
const rowsIn = ({ pointRows, dotRows, partRows }: DisplayTile) =>
  [...new Set([...pointRows, ...dotRows, ...partRows])].sort((a, b) => a - b);

/** Column and row of a place in fractions of tiles, straight from the definition of the projection (EPSG guidance note 7-2, 1024). */
function plainTile(lon: number, lat: number, z: number): Position {
  const phi = (Math.max(-85.0511287798066, Math.min(85.0511287798066, lat)) * Math.PI) / 180;
  return [((lon + 180) / 360) * 2 ** z, ((1 - Math.log(Math.tan(Math.PI / 4 + phi / 2)) / Math.PI) / 2) * 2 ** z];
}

const anyPlace = fc.tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -90, max: 90, noNaN: true }));
const anyShape: fc.Arbitrary<Geometry> = anyPlace.chain(([x, y]) =>
  fc.oneof(
    fc.constant(point(x, y)),
    fc.double({ min: 1e-6, max: 20, noNaN: true }).map((w): Geometry => ({
      type: 'LineString',
      coordinates: [
        [x, y],
        [x + w / 2, y],
        [x + w / 2, y + w],
      ],
    })),
    fc
      .tuple(fc.double({ min: 1e-6, max: 30, noNaN: true }), fc.double({ min: 1e-7, max: 10, noNaN: true }))
      .map(([w, h]) => polygon(square(x, Math.min(y, 80), w, h))),
  ),
);

test('every feature leaves something in the tiles of every level, and points lie in one tile only, where they are', () => {
  fc.assert(
    fc.property(fc.array(anyShape, { minLength: 1, maxLength: 37 }), fc.integer({ min: 0, max: 4 }), (shapes, z) => {
      const table = tableOf(...shapes);
      const seen = new Map<number, number>();
      const drawn = new Set<number>();
      for (let x = 0; x < 2 ** z; x++)
        for (let y = 0; y < 2 ** z; y++) {
          const tile = unpackTile(packTile(displayTile(table, z, x, y)));
          for (const row of rowsIn(tile)) drawn.add(row);
          tile.pointRows.forEach((row, i) => {
            seen.set(row, (seen.get(row) ?? 0) + 1);
            const [lon, lat] = (shapes[row] as { coordinates: Position }).coordinates;
            const [column, down] = plainTile(lon, lat, z);
            // 180° is where −180° is.
            const apart = Math.abs((column - x) * 4096 - tile.pointXy[2 * i]);
            expect(Math.min(apart, 4096 * 2 ** z - apart)).toBeLessThanOrEqual(1.001);
            expect(Math.abs((down - y) * 4096 - tile.pointXy[2 * i + 1])).toBeLessThanOrEqual(1.001);
          });
        }
      expect([...drawn].sort((a, b) => a - b)).toEqual([...shapes.keys()]);
      for (const [row, shape] of shapes.entries()) if (shape.type === 'Point') expect([row, seen.get(row)]).toEqual([row, 1]);
    }),
    { numRuns: 60 },
  );
});

test('what a polygon covers is the same in the tile, up to a pixel, holes and margin included', () => {
  const [shell, hole] = [square(-20, 30, 40, 20), square(-5, 35, 10, 8).reverse()];
  const table = tableOf(polygon(shell, hole));
  const inside = (rings: Position[][], x: number, y: number) => {
    let odd = false;
    for (const ring of rings)
      for (const [i, [x2, y2]] of ring.entries()) {
        const [x1, y1] = ring[(i + ring.length - 1) % ring.length];
        if (y1 > y !== y2 > y && x < x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)) odd = !odd;
      }
    return odd;
  };
  const z = 3;
  const onTile = ([lon, lat]: Position): Position => plainTile(lon, lat, z).map((at) => at * 4096);
  const truth = [shell, hole].map((ring) => ring.map(onTile));
  let [covered, tried] = [0, 0];
  for (let column = 0; column < 8; column++)
    for (let row = 0; row < 8; row++) {
      const { partRows, partRings, ringVertices, xy } = displayTile(table, z, column, row);
      if (partRows.length === 0) continue;
      const rings = Array.from({ length: partRings[1] }, (_, g) =>
        Array.from({ length: ringVertices[g + 1] - ringVertices[g] }, (__, v): Position => [
          xy[2 * (ringVertices[g] + v)],
          xy[2 * (ringVertices[g] + v) + 1],
        ]),
      );
      for (let x = 50; x < 4096; x += 97)
        for (let y = 30; y < 4096; y += 89) {
          const [X, Y] = [column * 4096 + x, row * 4096 + y];
          const near = truth.some((ring) => ring.some(([cx, cy]) => Math.abs(cx - X) < 6 || Math.abs(cy - Y) < 6));
          if (near) continue;
          tried++;
          const expected = inside(truth, X, Y);
          if (expected) covered++;
          expect([column, row, x, y, inside(rings, x, y)]).toEqual([column, row, x, y, expected]);
        }
    }
  expect(tried).toBeGreaterThan(2000);
  expect(covered).toBeGreaterThan(300);
});

test('shells run clockwise on the screen and holes the other way, however they are written', () => {
  for (const rings of [
    [square(0, 0, 20), square(5, 5, 5)],
    [square(0, 0, 20).reverse(), square(5, 5, 5).reverse()],
  ]) {
    const { ringVertices, xy } = displayTile(tableOf(polygon(...rings)), 1, 1, 0);
    const area = (g: number) => {
      let sum = 0;
      for (let v = ringVertices[g]; v < ringVertices[g + 1]; v++) {
        const next = v + 1 < ringVertices[g + 1] ? v + 1 : ringVertices[g];
        sum += xy[2 * v] * xy[2 * next + 1] - xy[2 * next] * xy[2 * v + 1];
      }
      return sum;
    };
    expect([area(0) > 0, area(1) < 0]).toEqual([true, true]);
  }
});

test('what is smaller than a pixel is a dot; what is thinner than one is a line; corners less than half a pixel apart are left out', () => {
  const tile = displayTile(tableOf(polygon(square(10, 10, 1e-3)), polygon(square(20, 10, 40, 1e-6))), 0, 0, 0);
  expect([[...tile.dotRows], [...tile.partRows], [...tile.partKinds]]).toEqual([[0], [1], [1]]);
  const round = polygon(
    Array.from({ length: 100_001 }, (_, n) => [30 * Math.cos((2 * Math.PI * n) / 1e5), 30 * Math.sin((2 * Math.PI * n) / 1e5)]),
  );
  expect(displayTile(tableOf(round), 0, 0, 0).xy.length / 2).toBeLessThan(700);
});

test('at the edges of the map: beyond 85° at its rim, 180° where −180° is, longitudes beyond it round again', () => {
  const table = tableOf(point(0, 90), point(180, 0), point(190, 0), null, {
    type: 'GeometryCollection',
    geometries: [],
  });
  const rows = [0, 1].map((x) => [0, 1].map((y) => rowsIn(displayTile(table, 1, x, y))));
  expect(rows).toEqual([
    [[], [1, 2]],
    [[0], []],
  ]);
});

test('the last place before 180° lies in the last tile of every level', () => {
  const table = tableOf(point(179.99999999999997, 0));
  for (const z of [0, 1, 5, 16, 22]) expect([...displayTile(table, z, 2 ** z - 1, Math.floor(2 ** z / 2)).pointRows]).toEqual([0]);
});

const PLANES: [PlaneName, GeoProjection][] = [
  ['world', geoEqualEarth()],
  ['north -40', geoAzimuthalEqualArea().rotate([40, -90])],
  ['south 100', geoAzimuthalEqualArea().rotate([-100, 90])],
];

test.each(PLANES)('on the plane %s points lie in one tile only, where another implementation puts them; none beyond it', (plane, other) => {
  const HALF = Math.PI * 6_378_137;
  const { latitudes } = planeNamed(plane);
  const place = other.scale(6_378_137).translate([HALF, HALF]);
  fc.assert(
    fc.property(fc.array(anyPlace, { minLength: 1, maxLength: 37 }), fc.integer({ min: 0, max: 3 }), (places, z) => {
      const table = tableOf(...places.map(([lon, lat]) => point(lon, lat)));
      const seen = new Map<number, number>();
      for (let x = 0; x < 2 ** z; x++)
        for (let y = 0; y < 2 ** z; y++) {
          const { pointRows, pointXy } = displayTile(table, z, x, y, plane);
          pointRows.forEach((row, i) => {
            seen.set(row, (seen.get(row) ?? 0) + 1);
            const [lon, lat] = places[row];
            const [right, down] = place([lon === 180 ? -180 : lon, lat])!.map((at) => (at / (2 * HALF)) * 2 ** z);
            expect(Math.abs((right - x) * 4096 - pointXy[2 * i])).toBeLessThanOrEqual(1.001);
            expect(Math.abs((down - y) * 4096 - pointXy[2 * i + 1])).toBeLessThanOrEqual(1.001);
          });
        }
      const within = ([, lat]: readonly [number, number]) => lat >= latitudes[0] && lat <= latitudes[1];
      expect(places.map((_, row) => seen.get(row) ?? 0)).toEqual(places.map((one) => (within(one) ? 1 : 0)));
    }),
    { numRuns: 60 },
  );
});

test('edges that are straight in longitude and latitude are bent on a plane; what lies on the other hemisphere is not drawn', () => {
  const parallel: Geometry = {
    type: 'LineString',
    coordinates: [
      [-90, 60],
      [90, 60],
    ],
  };
  const table = tableOf(parallel, polygon(square(10, -80, 5)), polygon(square(0, 70, 60, 10)));
  const { partRows, xy, partRings, ringVertices } = displayTile(table, 0, 0, 0, 'north 0');
  expect([...new Set(partRows)]).toEqual([0, 2]);
  // Half a circle round the pole, which lies in the middle of the tile.
  const [from, to] = [ringVertices[0], ringVertices[partRings[1]]];
  const radii = Array.from({ length: to - from }, (_, i) => Math.hypot(xy[2 * (from + i)] - 2048, xy[2 * (from + i) + 1] - 2048));
  expect(to - from).toBeGreaterThan(60);
  expect(Math.max(...radii) - Math.min(...radii)).toBeLessThan(2);
});
