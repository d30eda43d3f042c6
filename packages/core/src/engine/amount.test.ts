import { amountBetween, numberOf, type Amount } from './amount.ts';

test.each<[Amount, Amount, Amount]>([
  [7, 3, 4],
  [3, 7, -4],
  [{ about: 7 }, 3, { about: 4 }],
  [7, { about: 3 }, { about: 4 }],
  [null, 3, null],
  [7, null, null],
])('%j less %j is %j: as sure as both are, and never zero for what is unknown', (a, b, between) =>
  expect(amountBetween(a, b)).toEqual(between),
);

test.each<[Amount, number | null]>([
  [0, 0],
  [{ about: 12 }, 12],
  [null, null],
])('the number in %j is %j', (amount, number) => expect(numberOf(amount)).toBe(number));
