import type { SiftHead } from '@clean-sieve/server/api';
import { sideNumber } from './side_number.ts';

const row = { id: 'c', reach: 80, left: 30, unknown: 0, alone: 50 };
const head = (change: Partial<SiftHead> = {}): SiftHead => ({
  ...{ total: 100, kept: 30, unknown: 0, rows: [row], nearMisses: {}, without: { c: 80 }, findings: [], near: [] },
  ...change,
});

test.each([
  ['left', { count: 30, note: '−50' }],
  ['alone', { count: 50, note: '50 %' }],
  ['without', { count: 80, note: '+50' }],
] as const)('%s', (numbers, said) => expect(sideNumber(head(), 'c', numbers)).toEqual(said));

test('a condition without which as many are kept, and one that is not at work', () => {
  expect(sideNumber(head({ without: { c: 30 } }), 'c', 'without')).toEqual({ count: 30, note: 'no more' });
  expect(sideNumber(head(), 'other', 'left')).toBeNull();
});

test('what a source only estimates or does not know is said so', () => {
  const rows = [{ ...row, left: { about: 30 }, alone: null }];
  expect(sideNumber(head({ rows }), 'c', 'left')).toEqual({ count: { about: 30 }, note: '≈ −50' });
  expect(sideNumber(head({ rows }), 'c', 'alone')).toEqual({ count: null, note: '' });
  expect(sideNumber(head({ rows, kept: null, without: { c: null } }), 'c', 'without')).toEqual({ count: null, note: '' });
  const about = (count: number) => sideNumber(head({ without: { c: { about: count } } }), 'c', 'without');
  expect(about(80)).toEqual({ count: { about: 80 }, note: '≈ +50' });
  // That they are just as many is not known.
  expect(about(30)).toEqual({ count: { about: 30 }, note: '' });
});
