import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { feature } from 'topojson-client';
import type { Topology } from 'topojson-specification';
import type { Position } from 'geojson';
import { cutAtMeridian } from './cut_at_meridian.ts';

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
