import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { feature } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';
import type { MultiPolygon, Position } from 'geojson';
import { cutAtMeridian, partedLand } from './cut_at_meridian.ts';

// Natural Earth, 1:50m (public domain): its land crosses the 180° meridian in Russia, Fiji and Antarctica.
const topology = JSON.parse(readFileSync(createRequire(import.meta.url).resolve('world-atlas/land-50m.json'), 'utf8')) as Topology;
const land = cutAtMeridian(feature(topology, topology.objects.land));

function isInside([x, y]: Position, rings: Position[][]): boolean {
  let inside = false;
  for (const ring of rings)
    for (let i = 1; i < ring.length; i++) {
      const [[x1, y1], [x2, y2]] = [ring[i - 1], ring[i]];
      if (y1 > y !== y2 > y && x < x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)) inside = !inside;
    }
  return inside;
}
const isLand = (lon: number, lat: number) => land.fill.coordinates.filter((rings) => isInside([lon, lat], rings)).length === 1;

test('no edge runs across the map', () => {
  const inland = Math.max(...land.coast.coordinates.flatMap((line) => line.slice(1).map(([x], i) => Math.abs(x - line[i][0]))));
  expect(inland).toBeLessThan(20);
});

test.each([
  ['Chukotka, east of the meridian', -175, 66.6],
  ['Chukotka, west of it', 178, 67.5],
  ['Siberia', 100, 60],
  ['Antarctica', 0, -80],
  ['Kansas', -98, 38.5],
])('%s is land', (_, lon, lat) => expect(isLand(lon, lat)).toBe(true));

test.each([
  ['the Pacific', -160, 20],
  ['the Bering Sea', -178, 58],
  ['the Caspian Sea', 51, 42],
  ['the Atlantic', -30, 66],
])('%s is not', (_, lon, lat) => expect(isLand(lon, lat)).toBe(false));

test('the cut itself is no coast', () => {
  const along = land.coast.coordinates.flatMap((line) => line.slice(1).filter(([x], i) => Math.abs(x) === 180 && line[i][0] === x));
  expect(along).toEqual([]);
});

test('what does not come to the meridian is as it would be if all were cut', () => {
  const { features } = feature(topology, topology.objects.land as GeometryCollection);
  const { whole, cut } = partedLand(features.map(({ geometry }) => geometry as MultiPolygon));
  /** A ring from its least corner on, the same wherever it began. */
  const told = (ring: Position[]) => {
    const corners = ring.slice(1).map(String);
    const at = corners.indexOf([...corners].sort()[0]);
    return [...corners.slice(at), ...corners.slice(0, at)].join(' ');
  };
  // An island without any height is in the data, and none of it is left by the cut.
  const isFlat = ([ring]: Position[][]) => ring.every(([, y]) => y === ring[0][1]);
  const all = (polygons: Position[][][]) =>
    polygons
      .filter((rings) => !isFlat(rings))
      .map((rings) => rings.map(told).join('; '))
      .sort();
  expect(all([...whole, ...cut.fill.coordinates])).toEqual(all(land.fill.coordinates));
  expect(cut.fill.coordinates.length).toBeGreaterThan(5);
  expect(whole.length).toBeGreaterThan(1000);
});
