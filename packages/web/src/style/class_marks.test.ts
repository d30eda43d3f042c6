import { BLANK, PLAIN_STYLE, REST, type BySteps } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { classPasses, shownClasses } from './class_marks.ts';
import { firstSteps, firstValues, isByValues } from './first_style.ts';

const column = (change: Partial<ColumnInfo>): ColumnInfo => ({
  ...{ name: 'c', type: 'number', nulls: 0, empty: 0, distinct: 100, min: 0, max: 50 },
  ...{ title: null, description: null, hidden: false, derivation: null, codeList: null },
  ...change,
});
const shades = { dark: false, faint: '#777777' };
const labels = (classing: BySteps, of: ColumnInfo) => shownClasses(classing, of, String, shades).map(({ label }) => label);

test('steps are called by their bounds, times as times', () => {
  const numbers = firstSteps(column({}), 'natural', [10, 25.5]);
  expect(labels(numbers, column({}))).toEqual(['below 10', '10 to below 25.5', '25.5 or more', 'blank']);
  const days = firstSteps(column({ type: 'date' }), 'round', [19_723]);
  expect(labels(days, column({ type: 'date' }))).toEqual(['before 2024', '2024 and later', 'blank']);
  const inYear = firstSteps(column({ type: 'date' }), 'own', [19_723, 19_754]);
  expect(labels(inYear, column({ type: 'date' }))[1]).toBe('1 Jan 2024 to before 1 Feb 2024');
  const moments = firstSteps(column({ type: 'datetime' }), 'own', [Date.parse('2024-01-01T00:00:00Z'), Date.parse('2024-01-01T06:30:00Z')]);
  expect(labels(moments, column({ type: 'datetime' }))[1]).toBe('1 Jan 2024 to before 1 Jan 2024 06:30');
  expect(labels(firstSteps(column({}), 'quantile', []), column({}))).toEqual(['all values', 'blank']);
});

test('a column begins with what suits its type and values', () => {
  expect([column({ type: 'text' }), column({ type: 'boolean' }), column({ distinct: 5 }), column({ codeList: 3 })].map(isByValues)).toEqual(
    Array(4).fill(true),
  );
  expect([column({}), column({ type: 'date' })].map(isByValues)).toEqual([false, false]);
  // Colours part at 0 where values lie on both sides of it.
  expect(firstSteps(column({ min: -4, max: 9 }), 'round', [-2, 0, 2])).toMatchObject({ ramp: 'tide and ember', middle: 1 });
  expect(firstSteps(column({}), 'round', [10, 20])).toMatchObject({ ramp: 'tide', middle: null });
  const counts = Array.from({ length: 12 }, (_, i) => ({ value: `v${i}`, count: 100 - i, kept: 0 }));
  expect(firstValues(column({ type: 'text' }), counts).classes.map(({ value }) => value)).toEqual(
    counts.slice(0, 7).map(({ value }) => value),
  );
});

test('what is hidden is not drawn, and the rest and blanks lie below', () => {
  const classing = firstValues(column({ type: 'text' }), [
    { value: 'a', count: 2, kept: 0 },
    { value: '', count: 1, kept: 0 },
  ]);
  const classes = shownClasses(classing, column({ type: 'text' }), String, shades);
  expect(classes.map(({ label }) => label)).toEqual(['a', 'empty text', 'the rest', 'blank']);
  const drawn = (hidden: number[]) =>
    classPasses(classes, { ...PLAIN_STYLE, classing, hidden }, new Uint8Array(3)).map(({ wanted }) => wanted);
  expect(drawn([])).toEqual([BLANK, REST, 0, 1]);
  expect(drawn([0, REST])).toEqual([BLANK, 1]);
});

test('of two directions what lies below the middle has another shape and is hatched; on request each class has its own', () => {
  const marks = (classing: BySteps) => shownClasses(classing, column({}), String, shades).map(({ mark }) => [mark.shape, mark.hatch]);
  const twoWay = firstSteps(column({ min: -4, max: 9 }), 'round', [-2, 0, 2]);
  const [under, over] = [
    ['square', 135],
    ['disc', null],
  ];
  expect(marks(twoWay)).toEqual([under, under, over, over, ['ring', null]]);
  expect(marks(firstSteps(column({}), 'round', [10]))).toEqual([over, over, ['ring', null]]);
  const own = marks({ ...twoWay, patterned: true }).slice(0, 4);
  expect(new Set(own.map(String)).size).toBe(4);
});
