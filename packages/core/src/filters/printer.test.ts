import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';
const rt = (s: string) => printFilter(parseFilter(s).expr);
test.each([['a = 1 AND (b = 2 OR c = 3)'], ["NOT (a IN ('x', 'y') OR b IS NULL)"], ['a - (b - 2) * -3 > c ^ 2']])(
  '%s',
  (s) => expect(rt(s)).toBe(s),
);
