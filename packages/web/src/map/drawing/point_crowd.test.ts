import fc from 'fast-check';
import { PixelSet } from './pixel_set.ts';
import { PointCrowd } from './point_crowd.ts';

const [WIDTH, HEIGHT] = [13, 11];
const LAST = 99;
const point = fc.record({ row: fc.nat(LAST), x: fc.integer({ min: -3, max: 70 }), y: fc.integer({ min: -3, max: 60 }) });
const tile = fc.record({
  points: fc.array(point, { maxLength: 60 }),
  at: fc.record({ left: fc.integer({ min: -4, max: 6 }), top: fc.integer({ min: -4, max: 6 }), scale: fc.constantFrom(0.1, 0.25) }),
});
const mask = fc.option(
  fc.array(fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }), { minLength: 4, maxLength: 4 }).map((words) => Uint32Array.from(words)),
);

test('however masks follow one another, each pixel counts the points that the last one lets through, as when all are gone through', () => {
  fc.assert(
    fc.property(fc.array(tile, { maxLength: 3 }), fc.array(mask, { minLength: 1, maxLength: 5 }), (made, masks) => {
      const tiles = made.map(({ points, at }) => ({
        at,
        tile: { pointRows: Uint32Array.from(points.map(({ row }) => row)), pointXy: Int16Array.from(points.flatMap(({ x, y }) => [x, y])) },
      }));
      const crowd = new PointCrowd(WIDTH, HEIGHT, tiles);
      for (const one of masks) {
        let passed = 0;
        const depths = new Array<number>(WIDTH * HEIGHT).fill(0);
        for (const { points, at } of made)
          for (const { row, x, y } of points) {
            // Each point alone, as it is drawn among few.
            const alone = new PixelSet(WIDTH, HEIGHT);
            passed += alone.addRows(Uint32Array.of(row), Int16Array.of(x, y), at, one);
            alone.each((_x, _y, pixel) => depths[pixel]++);
          }
        const counted = crowd.count(one);
        expect([counted.passed, [...counted.depths]]).toEqual([passed, depths]);
      }
    }),
  );
});
