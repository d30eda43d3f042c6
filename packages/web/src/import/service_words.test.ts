import type { ServiceLook } from '@clean-sieve/server/api';
import { periodInWords, wouldCome } from './service_words.ts';

const look = (matched: number | null, all: number | null, ...by: ('there' | 'both' | 'here')[]) => {
  const { count, words } = wouldCome({ matched, all, conditions: by.map((one) => ({ text: '', by: one })) } as ServiceLook);
  return `${count} ${words}`;
};

test('how much would come is said as far as it can be told', () => {
  expect(look(5200, 5200)).toBe('5,200 features would come, all there are');
  expect(look(1, 1)).toBe('1 feature would come');
  expect(look(312, 5200, 'there')).toBe('312 of 5,200 would come');
  expect(look(312, 5200, 'there', 'both')).toBe('312 of 5,200 would come, of which fewer are kept: the rest is decided here');
  expect(look(312, null, 'there')).toBe('312 would come');
  expect(look(0, 5200, 'there')).toBe('None of 5,200 would come');
  expect(look(0, 0)).toBe('Nothing is in it');
  expect(look(null, null)).toBe('An unknown number of features would come: the service does not say how many');
  expect(look(null, 5200, 'here')).toBe('An unknown number of 5,200 would come: the service does not say how many');
});

test('either end of a period may be open', () => {
  expect(periodInWords(null)).toBeNull();
  expect(periodInWords(['2026-09-01T00:00:00Z', null])).toBe('since 1 Sep 2026');
  expect(periodInWords([null, '2026-09-01'])).toBe('until 1 Sep 2026');
  expect(periodInWords(['2026-09-01', '2026-10-02'])).toBe('1 Sep 2026 to 2 Oct 2026');
});
