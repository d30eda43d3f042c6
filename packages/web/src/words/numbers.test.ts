import { counted, plural, share } from './numbers.ts';

test('counts: exact, estimated, unknown', () => {
  expect([counted(24000), counted({ about: 24000 }), counted(null)]).toEqual(['24,000', '≈ 24,000', '?']);
  expect([plural(1, 'row'), plural(2, 'row'), plural({ about: 1 }, 'row'), plural(null, 'row')]).toEqual([
    '1 row',
    '2 rows',
    '≈ 1 rows',
    '? rows',
  ]);
});

test('shares are never rounded to nothing or to all', () => {
  expect([share(1, 3000), share(12, 100), share(999, 1000), share(0, 5), share(null, 5)]).toEqual([
    'below 0.1 %',
    '12 %',
    '99.9 %',
    '0 %',
    '',
  ]);
});
