import type { TypedDerivation } from '@clean-sieve/core';
import { derivationOf, draftOf, hasShortYears, pairsIn } from './read_draft.ts';

const plain = { kind: 'typed', from: 't', decimal: 'point', order: 'dmy' } as const;

test.each<TypedDerivation>([
  { ...plain, as: 'number', decimal: 'comma', unit: 'm', units: [{ text: 'cm', times: '0.01' }], instead: [['tall', '30']] },
  { ...plain, as: 'date', pattern: 'd.M.yy', firstYear: 1930 },
  { ...plain, as: 'datetime', order: 'mdy' },
  { ...plain, as: 'boolean', words: { yes: ['ja', 'si'], no: ['nein'] } },
  { ...plain, as: 'boolean' },
])('a form of %j says the same', (derivation) => expect(derivationOf(draftOf(derivation), 't')).toEqual(derivation));

test('what is of another type is left out', () => {
  const draft = { ...draftOf(null), as: 'date' as const, unit: 'm', units: [{ text: 'm', times: '1' }], ownWords: true, yes: 'ja' };
  expect(derivationOf(draft, 't')).toEqual({ ...plain, as: 'date' });
  expect(derivationOf({ ...draft, as: 'number', unit: ' ', units: [{ text: ' ', times: '1' }] }, 't')).toEqual({ ...plain, as: 'number' });
});

test('years of two digits are asked for where the pattern has them', () => {
  const draft = { ...draftOf(null), as: 'date' as const, written: 'pattern' as const };
  const patterns = ['d.M.yy', 'yyMMdd', 'd.M.yyyy', 'yyyyMM', 'yy.Q'];
  expect(patterns.map((pattern) => hasShortYears({ ...draft, pattern }))).toEqual([true, true, false, false, false]);
  expect(hasShortYears({ ...draft, written: 'dmy', pattern: 'yy' })).toBe(false);
});

test('a list is parted by tabs, semicolons or the last comma; a line that nobody has filled in says nothing', () => {
  expect(pairsIn('tall\t30\r\nn/a\t\n\nc. 12, or so\t12')).toEqual([
    ['tall', '30'],
    ['c. 12, or so', '12'],
  ]);
  expect(pairsIn('a, b; 3,5\nx')).toEqual([['a, b', '3,5']]);
  expect(pairsIn('about 3, maybe 4, 3')).toEqual([['about 3, maybe 4', '3']]);
  expect(pairsIn(' \n')).toEqual([]);
});
