import { rangeOfStretch, roundedTo } from './ranges.ts';

test('numbers have as many digits as a pixel tells apart', () => {
  expect(roundedTo(12.34567, 0.4, false)).toBe(12.3);
  expect(roundedTo(12.34567, 0.04, false)).toBe(12.35);
  expect(roundedTo(1234.5, 20, false)).toBe(1235);
  expect(roundedTo(1e-9, 0, false)).toBe(0);
});

test('a stretch over whole numbers keeps those that it covers, and at least one', () => {
  expect(rangeOfStretch(3.1, 6.9, 0.1, true)).toEqual([3, 6]);
  expect(rangeOfStretch(3, 7, 0.1, true)).toEqual([3, 6]);
  expect(rangeOfStretch(3.2, 3.4, 0.1, true)).toEqual([3, 3]);
  expect(rangeOfStretch(3.14, 6.96, 0.1, false)).toEqual([3.1, 7]);
});
