import type { TimeCounts } from '@clean-sieve/core';
import { timeAxis } from './time_axis.ts';

const months: TimeCounts = {
  unit: 'month',
  bins: [
    { from: '2024-01-01', all: 4, kept: 1 },
    { from: '2024-02-01', all: 0, kept: 0 },
    { from: '2024-03-01', all: 16, kept: 9 },
  ],
  blank: 0,
  unplaced: 0,
};
const axis = timeAxis(months, null, [10, 101], [60, 0]);

test('bins are as wide as their months, their heights by square root', () => {
  // 31, 29 and 31 days over 91 pixels.
  expect(axis.bars.map(({ x }) => x)).toEqual([10, 41, 70]);
  expect(axis.bars.map(({ width }) => width)).toEqual([30, 28, 30]);
  expect(axis.bars.map(({ all, kept }) => [all, kept])).toEqual([
    [30, 45],
    [60, 60],
    [0, 15],
  ]);
});

test('a place is in a bin, a period reaches into bins, and a window is a period again', () => {
  expect([10, 40.9, 41.1, 100.9, 500, -9].map(axis.binAt)).toEqual([0, 0, 1, 2, 2, 0]);
  expect(axis.windowOf('2024-01-31', '2024-02-01')).toEqual([0, 1]);
  expect(axis.windowOf(null, '2023-12-31')).toBeNull();
  expect(axis.windowOf('2024-02-10', null)).toEqual([1, 2]);
  expect(axis.spanOf([1, 2])).toEqual([41, 101]);
  expect(axis.periodOf(1, 2)).toEqual(['2024-02-01', '2024-03-31']);
});

test('what is drawn reaches into bins, extends a window or not, and an end stays within the bins', () => {
  expect(axis.windowDrawn([12, 41], null)).toEqual([0, 0]);
  expect(axis.windowDrawn([12, 43], null)).toEqual([0, 1]);
  expect(axis.windowDrawn([50, 50], [2, 2])).toEqual([1, 2]);
  expect(axis.nudged([0, 1], 1, 1)).toEqual([0, 2]);
  expect([axis.nudged([0, 1], 0, -1), axis.nudged([1, 1], 0, 1), axis.nudged([0, 2], 1, 1)]).toEqual([null, null, null]);
});

test('where nothing is known yet there is nothing to see, and nothing breaks', () => {
  const empty = timeAxis(null, null, [0, 100], [60, 0]);
  expect([empty.bars, empty.windowOf(null, null)]).toEqual([[], null]);
});
