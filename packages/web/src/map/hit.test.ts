import { displayGeometry, fullMask, maskOf, TableBuilder, toMercator, type DisplayGeometry } from '@clean-sieve/core';
import { displayBox, featureAt, maskBox } from './hit.ts';

function displayed(): DisplayGeometry {
  const builder = new TableBuilder();
  builder.addFeature({ type: 'Point', coordinates: [8, 47] }, null);
  builder.addFeature({ type: 'LineString', coordinates: [[8.1, 47], [8.2, 47]] }, null); // prettier-ignore
  builder.addFeature({ type: 'Polygon', coordinates: [[[9, 47], [10, 47], [10, 48], [9, 48], [9, 47]], [[9.4, 47.4], [9.6, 47.4], [9.6, 47.6], [9.4, 47.6], [9.4, 47.4]]] }, null); // prettier-ignore
  builder.addFeature(null, null);
  return displayGeometry(builder.finish());
}
const display = displayed();
const at = (lon: number, lat: number, reach: number, mask: Uint32Array | null = null) => {
  const [x, y] = toMercator(lon, lat);
  return featureAt(display, x, y, reach, mask)?.row ?? null;
};

test('a point and a line are hit within reach, a polygon anywhere inside but not in its hole', () => {
  expect(at(8.0001, 47, 50)).toBe(0);
  expect(at(8.01, 47, 50)).toBeNull();
  expect(at(8.15, 47.0001, 50)).toBe(1);
  expect(at(9.2, 47.2, 1)).toBe(2);
  expect(at(9.5, 47.5, 1)).toBeNull();
});

test('only what the mask lets through is hit', () => {
  expect(at(9.2, 47.2, 1, maskOf([0, 1], 4))).toBeNull();
  expect(at(9.2, 47.2, 1, maskOf([2], 4))).toBe(2);
});

test('boxes: of a row, of a mask, none without a place', () => {
  const [w, s] = toMercator(9, 47);
  const box = displayBox(display, 2)!;
  expect(Math.abs(box[0] - w) + Math.abs(box[1] - s)).toBeLessThan(1);
  expect(displayBox(display, 3)).toBeNull();
  expect(maskBox(display, maskOf([3], 4))).toBeNull();
  expect(maskBox(display, fullMask(4))![0]).toBeCloseTo(toMercator(8, 47)[0], 0);
  const lost = { ...display, xy: Float32Array.from(display.xy).fill(NaN) };
  expect(displayBox(lost, 0)).toBeNull();
});
