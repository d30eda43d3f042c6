import { emptyMask, put, TableBuilder, tileBox, vectorTile } from '@clean-sieve/core';
import fc from 'fast-check';
import MVT from 'ol/format/MVT.js';

// Vector tiles are taken apart by the map package's own reader of the format.

const EXTENT = 4096;
const read = (tile: Uint8Array) => new MVT().readFeatures(tile.slice().buffer);
const place = fc.tuple(fc.double({ min: -179.9, max: 179.9, noNaN: true }), fc.double({ min: -84, max: 84, noNaN: true }));

/** Position in units of a tile, by the formulas of web Mercator (EPSG Guidance Note 7-2, method 1024). */
function inTile([lon, lat]: number[], z: number, x: number, y: number): [number, number] {
  const column = ((lon + 180) / 360) * 2 ** z;
  const row = ((1 - Math.log(Math.tan(Math.PI / 4 + (lat * Math.PI) / 360)) / Math.PI) / 2) * 2 ** z;
  return [(column - x) * EXTENT, (row - y) * EXTENT];
}
const tileOf = (at: number[], z: number) => inTile(at, z, 0, 0).map((unit) => Math.floor(unit / EXTENT)) as [number, number];

test('every kept point is in its tile once, to the unit, with its number and its values', () => {
  fc.assert(
    fc.property(fc.array(place, { minLength: 1, maxLength: 30 }), fc.integer({ min: 0, max: 20 }), fc.nat(), (places, z, some) => {
      const builder = new TableBuilder();
      places.forEach((at, n) => builder.addFeature({ type: 'Point', coordinates: at }, { n, name: n % 2 === 0 ? `é${n}` : null }));
      const table = builder.finish();
      const kept = emptyMask(places.length);
      const odd = (n: number) => ((some >> (n % 20)) & 1) === 1 || n === 0;
      places.forEach((_, n) => odd(n) && put(kept, n));
      const [x, y] = tileOf(places[0], z);
      const features = read(vectorTile(table, kept, table.columns, 'set', z, x, y));
      const found = new Map(features.map((feature) => [Number(feature.getId()) - 1, feature]));
      expect(found.size).toBe(features.length);
      places.forEach((at, n) => {
        const [px, py] = inTile(at, z, x, y);
        const inside = px >= 0 && px < EXTENT && py >= 0 && py < EXTENT;
        if (!odd(n)) return expect(found.has(n)).toBe(false);
        if (!inside) return undefined;
        const feature = found.get(n)!;
        const [fx, fy] = feature.getFlatCoordinates();
        expect(Math.abs(fx - px)).toBeLessThanOrEqual(1);
        expect(Math.abs(fy - py)).toBeLessThanOrEqual(1);
        expect(feature.get('n')).toBe(n);
        return expect(feature.get('name')).toBe(n % 2 === 0 ? `é${n}` : undefined);
      });
    }),
  );
});

test('of a rectangle a tile has the part that lies in it and its margin', () => {
  fc.assert(
    fc.property(place, fc.double({ min: 1e-6, max: 60, noNaN: true }), fc.integer({ min: 0, max: 8 }), (corner, size, z) => {
      const [west, south] = corner;
      const [east, north] = [Math.min(179.9, west + size), Math.min(84, south + size / 2)];
      fc.pre(east > west && north > south);
      const builder = new TableBuilder();
      builder.addFeature(
        {
          type: 'Polygon',
          coordinates: [
            [
              [west, south],
              [east, south],
              [east, north],
              [west, north],
              [west, south],
            ],
          ],
        },
        { n: 1 },
      );
      const table = builder.finish();
      const [x, y] = tileOf([(west + east) / 2, (south + north) / 2], z);
      const [feature, ...others] = read(vectorTile(table, null, table.columns, 'set', z, x, y));
      expect(others).toEqual([]);
      const flat = feature.getFlatCoordinates();
      const side = (axis: 0 | 1) => flat.filter((_, i) => i % 2 === axis);
      const clipped = (value: number) => Math.max(-64, Math.min(EXTENT + 64, value));
      const [left, top] = inTile([west, north], z, x, y).map(clipped);
      const [right, bottom] = inTile([east, south], z, x, y).map(clipped);
      // Rounding moves a side by half a unit at most, and what is smaller than a unit is made one.
      for (const [found, expected] of [
        [Math.min(...side(0)), left],
        [Math.max(...side(0)), right],
        [Math.min(...side(1)), top],
        [Math.max(...side(1)), bottom],
      ])
        expect(Math.abs(found - expected)).toBeLessThan(1.5 + 1e-6);
    }),
  );
});

test('tiles of one level lie side by side and cover the world', () => {
  for (const z of [0, 1, 3]) {
    const [west, , , north] = tileBox(z, 0, 0);
    const [, south, east] = tileBox(z, 2 ** z - 1, 2 ** z - 1);
    expect([west, east]).toEqual([-180, 180]);
    // The square of web Mercator ends at 85.051129° (OGC 17-083r4, annex D).
    expect([north, south]).toEqual([expect.closeTo(85.0511287798, 8), expect.closeTo(-85.0511287798, 8)]);
    if (z > 0) expect(tileBox(z, 0, 0)[2]).toBe(tileBox(z, 1, 0)[0]);
  }
});
