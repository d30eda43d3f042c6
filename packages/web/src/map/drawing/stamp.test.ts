import fc from 'fast-check';
import { PixelSet } from './pixel_set.ts';
import { blend, stampDeep, stampPlain, type Stamp } from './stamp.ts';

const SIDE = 23;

test('stamps of one colour together are what one over the other gives, at the edges too', () => {
  const cover = fc.array(fc.integer({ min: 0, max: 255 }), { minLength: 25, maxLength: 25 });
  const place = fc.tuple(fc.integer({ min: -2, max: SIDE + 1 }), fc.integer({ min: -2, max: SIDE + 1 }));
  fc.assert(
    fc.property(cover, fc.uniqueArray(place, { maxLength: 40, selector: String }), (covers, places) => {
      const pixels = Uint8ClampedArray.from(covers.flatMap((alpha) => [90, 120, 40, alpha]));
      const stamp: Stamp = { size: 5, pixels, plain: [90, 120, 40] };
      const [one, other] = [new Uint8ClampedArray(4 * SIDE * SIDE), new Uint8ClampedArray(4 * SIDE * SIDE)];
      const set = new PixelSet(SIDE, SIDE);
      for (const [x, y] of places) set.add(x, y);
      stampPlain(one, SIDE, SIDE, stamp, [90, 120, 40], 1, set);
      set.each((x, y) => blend(other, SIDE, SIDE, stamp, x, y));
      // Each of several stamps rounds to whole steps once.
      let [most, inked] = [0, true];
      for (let i = 3; i < one.length; i += 4) {
        most = Math.max(most, Math.abs(one[i] - other[i]));
        inked &&= one[i] > 0 === other[i] > 0;
      }
      expect([most <= 8, inked]).toEqual([true, true]);
    }),
  );
});

test('depth of colour tells how many lie on a spot, one over the other, and every one leaves its mark', () => {
  // A canvas that says what colour it was given, as red alone.
  const canvas = class {
    fillStyle = '';
    getContext = () => this;
    fillRect(): void {}
    getImageData = () => ({ data: Uint8ClampedArray.of(Number(this.fillStyle), 0, 0, 255) });
  };
  Object.assign(globalThis, { OffscreenCanvas: canvas });
  const place = fc.tuple(fc.integer({ min: 0, max: SIDE - 1 }), fc.integer({ min: 0, max: SIDE - 1 }));
  fc.assert(
    fc.property(fc.array(place, { minLength: 1, maxLength: 60 }), (places) => {
      const pixels = Uint8ClampedArray.from({ length: 4 * 9 }, () => 255);
      const counts = new Uint32Array(SIDE * SIDE);
      for (const [x, y] of places) counts[y * SIDE + x]++;
      const target = new Uint8ClampedArray(4 * SIDE * SIDE);
      const deepest = stampDeep(target, SIDE, SIDE, { size: 3, pixels, plain: null }, ['100', '200'], 1, counts);
      // The same by looking at each pixel: how many places lie within one of the stamp's shifts, which go from −1 to 1.
      const depths = Array.from({ length: SIDE * SIDE }, (_, at) => {
        const [x, y] = [at % SIDE, Math.floor(at / SIDE)];
        return places.filter(([px, py]) => Math.abs(px - x) <= 1 && Math.abs(py - y) <= 1).length;
      });
      expect(deepest).toBe(Math.max(...depths));
      depths.forEach((depth, at) => {
        expect(target[4 * at + 3]).toBe(depth > 0 ? 255 : 0);
        if (depth > 0) expect(target[4 * at]).toBeGreaterThanOrEqual(100);
        const share = deepest > 1 ? Math.log(Math.max(1, depth)) / Math.log(deepest) : 0;
        if (depth > 0) expect(Math.abs(target[4 * at] - (100 + 100 * share))).toBeLessThanOrEqual(1);
      });
    }),
  );
});
