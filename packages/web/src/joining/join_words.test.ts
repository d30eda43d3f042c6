import { EXACTLY, type JoinedDerivation, type PlacedDerivation } from '@clean-sieve/core';
import { joinInWords, likenessInWords, placedInWords } from './join_words.ts';

const rate: JoinedDerivation = {
  ...{ kind: 'joined', source: 3, table: 'Rates', pairs: [{ own: 'ward', other: 'id' }], like: EXACTLY },
  ...{ column: 'rate', several: 'refuse', of: '' },
};

test('where a joined column comes from is told by the names of today', () => {
  expect(joinInWords(rate, 'number', [{ id: 3, name: 'Rates of 2026' }])).toBe(
    'rate of Rates of 2026 by ward = id; it follows newer versions of Rates of 2026',
  );
  const like = { ...EXACTLY, zeros: true, case: true };
  expect(joinInWords({ ...rate, several: 'count', column: null, pairs: [{ own: 'id', other: 'id' }], like }, 'number', [])).toBe(
    'How many rows of Rates there are by id, without regard to upper and lower case and leading zeros; it follows newer versions of Rates',
  );
  expect(joinInWords({ ...rate, several: 'sum' }, 'number', [])).toContain('rate of Rates by ward = id, the sum of several rows;');
  expect(joinInWords({ ...rate, several: 'max' }, 'date', [])).toContain('the latest of several rows');
});

test('what is not looked at is listed', () => {
  expect(likenessInWords(EXACTLY)).toBe('');
  expect(likenessInWords({ spaces: true, case: true, accents: true, zeros: true })).toBe(
    'spaces, upper and lower case, accents and leading zeros',
  );
});

test('where a column comes from that is taken by place', () => {
  const placed: PlacedDerivation = { kind: 'placed', source: 3, table: 'Wards', by: 'within', most: null, column: 'name', of: '' };
  expect(placedInWords(placed, [])).toBe(
    'name of the zone of Wards that it lies in, the first of several; it follows newer versions of Wards',
  );
  expect(placedInWords({ ...placed, by: 'nearest', most: 1500, column: null }, [{ id: 3, name: 'Paths' }])).toBe(
    'How far the nearest of Paths within 1,500 m is, in metres on the ellipsoid; it follows newer versions of Paths',
  );
});
