import type { Geometry } from 'geojson';
import { utm } from '../grids/grid.ts';
import { measureOfGeometry } from './measure_geometry.ts';
import { fourNumbers, readShape } from './read_shape.ts';
import { Shape } from './shape.ts';

test.each<[string, number, number]>([
  ['46.6012, -12.0954', -12.0954, 46.6012],
  ['46.6012 -12.0954', -12.0954, 46.6012],
  ['46°36′04″N 12°05′43″W', -12.095278, 46.601111],
  ['46° 36\' 4" N, 12° 5\' 43" W', -12.095278, 46.601111],
  // By GDAL's gdaltransform from EPSG:32628.
  ['28N 569000 5160000', -14.0992753686614, 46.590018420173],
])('a place: %s', (text, lon, lat) => {
  const shape = readShape(text, null) as { type: string; coordinates: number[] };
  expect(shape.type).toBe('Point');
  expect(shape.coordinates[0]).toBeCloseTo(lon, 3);
  expect(shape.coordinates[1]).toBeCloseTo(lat, 3);
});

// Worked examples of npm mgrs, which was tested against OpenMap's: the places named lie in the middle of the squares.
test.each([
  ['33U XP 0 4', 16.4145, 48.24949, 10_000],
  ['24XWT783908', -32.66433, 83.62778, 100],
])('a reference of MGRS is its square: %s', (text, lon, lat, size) => {
  const shape = readShape(text, null) as Geometry;
  expect(new Shape(shape).covers(lon, lat)).toBe(true);
  expect(Math.abs(measureOfGeometry(shape).area / size ** 2 - 1)).toBeLessThan(0.002);
});

test('a British reference is its square; a radius counts from the middle', () => {
  const square = readShape('TG 514 131', null) as Geometry;
  expect(new Shape(square).covers(1.716, 52.6577)).toBe(true);
  expect(measureOfGeometry(square).area).toBeCloseTo(10_000, -2);
  expect(readShape('TG 514 131', { distance: 400, unit: 'm' })).toMatchObject({ op: 'BUFFER', args: [{ type: 'Point' }, 400, 'm'] });
});

test('an easting and a northing of the system at hand', () => {
  const shape = readShape('569000, 5160000', null, utm(28, false)) as { coordinates: number[] };
  expect(shape.coordinates[0]).toBeCloseTo(-14.0995, 3);
  expect(() => readShape('569000, 5160000', null)).toThrow('outside longitude');
});

test('four numbers are a box in one order or another, which is asked; BBOX says it', () => {
  expect(fourNumbers(' -12.1, 46.5,-12.0 46.6 ')).toEqual([-12.1, 46.5, -12, 46.6]);
  expect(fourNumbers('46.5, -12')).toBeNull();
  expect(() => readShape('-12.1,46.5,-12.0,46.6', null)).toThrow('BBOX(-12.1, 46.5, -12, 46.6)');
  expect(() => readShape('12 34 56 78 90', null)).toThrow('no shape and no place');
  expect(readShape('BBOX(-12.1, 46.5, -12, 46.6)', null)).toMatchObject({ type: 'Polygon' });
  expect(readShape('BBOX(170, 0, -170, 5)', null)).toMatchObject({ type: 'MultiPolygon' });
});

test('a place with a radius is everything within it', () => {
  expect(readShape('46.5, -12', { distance: 400, unit: 'm' })).toEqual({
    op: 'BUFFER',
    args: [{ type: 'Point', coordinates: [-12, 46.5] }, 400, 'm'],
  });
});

test('WKT and GeoJSON, several polygons as one shape', () => {
  const ring = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 0],
  ];
  expect(readShape('SRID=4326;POLYGON((0 0, 1 0, 1 1, 0 0))', null)).toEqual({ type: 'Polygon', coordinates: [ring] });
  expect(readShape("BUFFER(POINT(1 2), 3, 'km')", null)).toEqual({ op: 'BUFFER', args: [{ type: 'Point', coordinates: [1, 2] }, 3, 'km'] });
  const polygon = { type: 'Polygon', coordinates: [ring] };
  const feature = (geometry: unknown) => ({ type: 'Feature', properties: {}, geometry });
  expect(readShape(JSON.stringify(feature(polygon)), null)).toEqual(polygon);
  expect(readShape(JSON.stringify({ type: 'FeatureCollection', features: [feature(polygon), feature(polygon)] }), null)).toEqual({
    type: 'MultiPolygon',
    coordinates: [[ring], [ring]],
  });
});

test.each([
  ['', 'Write a shape'],
  ['somewhere', 'no shape and no place'],
  ['POLYGON((0 0, 1 0, 1 1))', 'at least four positions'],
  ['POINT(500000 5160000)', 'outside longitude'],
  ['{"type":"Point"', 'not valid JSON'],
  ['{"type":"FeatureCollection","features":[]}', 'no geometry'],
  ['33U XP 05 4', 'as many digits'],
])('%s is refused: %s', (text, message) => expect(() => readShape(text, null)).toThrow(message));
