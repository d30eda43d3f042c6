import fc from 'fast-check';
import { ClassPixels } from './class_pixels.ts';

const [WIDTH, HEIGHT] = [20, 15];
const place = { left: -2, top: -1, scale: 1 };
const row = fc.record({
  x: fc.integer({ min: 0, max: 24 }),
  y: fc.integer({ min: 0, max: 17 }),
  code: fc.constantFrom(0, 1, 2, 254, 255),
  kept: fc.boolean(),
});

test('each pixel is of the topmost class that has something kept there, and all that is drawn is counted', () => {
  fc.assert(
    fc.property(fc.array(row, { maxLength: 90 }), fc.shuffledSubarray([0, 1, 2, 254, 255]), (rows, drawn) => {
      const numbers = Uint32Array.from(rows, (_, i) => i);
      const xy = Int16Array.from(rows.flatMap(({ x, y }) => [x, y]));
      const mask = new Uint32Array(Math.ceil(rows.length / 32));
      for (const [i, { kept }] of rows.entries()) if (kept) mask[i >>> 5] |= 1 << (i & 31);
      const none = { rows: new Uint32Array(0), xy: new Int16Array(0) };
      const pixels = new ClassPixels(WIDTH, HEIGHT, { drawn });
      // In two tiles, and filled once however often it is asked for.
      const half = rows.length >> 1;
      const tiles = [
        [0, half],
        [half, rows.length],
      ].map(([from, to]) => ({
        at: place,
        tile: { dotRows: none.rows, dotXy: none.xy, pointRows: numbers.subarray(from, to), pointXy: xy.subarray(2 * from, 2 * to) },
      }));
      const codes = Uint8Array.from(rows, ({ code }) => code);
      for (const steps of [2, 0]) expect([...pixels.fill(tiles, mask, codes)]).toHaveLength(steps);

      const shown = rows.filter(({ code, kept }) => kept && drawn.includes(code));
      expect(pixels.passed).toBe(shown.length);
      const found = drawn.flatMap((wanted) => {
        return [...pixels.pointsOf({ wanted })].map((at) => `${at % WIDTH} ${Math.floor(at / WIDTH)}: ${wanted}`);
      });
      const plain = new Map<string, number>();
      for (const wanted of drawn)
        for (const { x, y, code } of shown) {
          const [column, down] = [x + place.left, y + place.top];
          if (code === wanted && column >= 0 && down >= 0 && column < WIDTH && down < HEIGHT) plain.set(`${column} ${down}`, wanted);
        }
      expect(found.sort()).toEqual([...plain].map(([at, wanted]) => `${at}: ${wanted}`).sort());
    }),
  );
});
