import fc from 'fast-check';
import { discPath, piecePath, sizeKey, widthKey } from './size_key.ts';

test('the key to sizes has round numbers, and marks whose areas are to one another as these', () => {
  expect(sizeKey(31.4, 16).map(({ value }) => value)).toEqual([20, 5, 1]);
  expect(sizeKey(1000, 16).map(({ value, size }) => [value, Number(size.toFixed(3))])).toEqual([
    [1000, 16],
    [200, 7.155],
    [50, 3.578],
  ]);
  expect([sizeKey(0, 16), sizeKey(-3, 16)]).toEqual([[], []]);
  fc.assert(
    fc.property(fc.double({ min: 1e-9, max: 1e12, noNaN: true }), (most) => {
      const marks = sizeKey(most, 16);
      expect(marks.length).toBeGreaterThan(0);
      for (const { value, size } of marks) {
        expect(value).toBeLessThanOrEqual(most * (1 + 1e-9));
        expect((size / 16) ** 2).toBeCloseTo(value / most, 9);
      }
    }),
  );
});

test('lines of the key are as wide as their numbers', () => {
  expect(widthKey(1000, 12)).toEqual([
    { value: 1000, size: 12 },
    { value: 200, size: 2.4 },
    { value: 100, size: 1.2 },
  ]);
  expect([widthKey(0, 12), widthKey(-3, 12)]).toEqual([[], []]);
  expect(piecePath(0.5)).toBe('M-1,-0.25H1V0.25H-1Z');
});

test('a disc as a path', () => expect(discPath(1.5)).toBe('M-1.5,0A1.5,1.5 0 1 1 1.5,0A1.5,1.5 0 1 1 -1.5,0Z'));
