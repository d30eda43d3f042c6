import { barLength, lengthInWords, resolutionOf, roundScale } from './map_picture.ts';

test('a scale in round steps holds the ground', () => {
  expect(roundScale([18_000, 11_000], [0.18, 0.15])).toBe(100_000);
  expect(roundScale([18_001, 11_000], [0.18, 0.15])).toBe(200_000);
  expect(roundScale([230, 10], [0.1, 0.1])).toBe(2500);
  expect(roundScale([0, 0], [0.1, 0.1])).toBe(1);
});

test('a pixel of a 96th of an inch at 1 : 10 000 on the equator is 2.6458 m; towards the poles the plane is stretched', () => {
  expect(resolutionOf(10_000, 0)).toBeCloseTo(2.645833, 6);
  expect(resolutionOf(10_000, 60)).toBeCloseTo(2 * 2.645833, 5);
});

test('scale bars have round lengths', () => {
  expect([9.9, 4999, 5000, 120_000].map(barLength)).toEqual([5, 2000, 5000, 100_000]);
  expect([500, 2000, 1500].map(lengthInWords)).toEqual(['500 m', '2 km', '1.5 km']);
});
