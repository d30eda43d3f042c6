import { periodInWords } from './period_words.ts';

test.each([
  ['2024-01-01', '2024-12-31', '2024'],
  ['2019-01-01', '2024-12-31', '2019 to 2024'],
  ['2024-02-01', '2024-02-29', 'Feb 2024'],
  ['2024-02-01', '2024-03-31', 'Feb 2024 to Mar 2024'],
  ['2024-02-01', '2024-02-28', '1 Feb 2024 to 28 Feb 2024'],
  ['2024-02-05', '2024-02-05', '5 Feb 2024'],
])('%s to %s is %s', (from, to, words) => expect(periodInWords(from, to)).toBe(words));
