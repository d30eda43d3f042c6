import fc from 'fast-check';
import { PixelSet } from './pixel_set.ts';
import { blend, stampPlain, type Stamp } from './stamp.ts';

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
