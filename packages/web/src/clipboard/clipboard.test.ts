import fc from 'fast-check';
import Papa from 'papaparse';
import { tableHtml, tableText } from './clipboard.ts';

test('rows come apart again into the same cells', () => {
  const cell = fc.oneof(fc.string(), fc.constantFrom('a\tb', 'a\nb', '"', 'O"H', '0142', ' x '));
  fc.assert(
    fc.property(fc.array(fc.tuple(cell, cell, cell), { minLength: 1 }), (rows) => {
      const read = Papa.parse<string[]>(tableText(['one', 'two', 'three'], rows), { delimiter: '\t', newline: '\n' });
      expect(read.data).toEqual([['one', 'two', 'three'], ...rows.map((row) => row.map((text) => text))]);
    }),
  );
});

test('numbers, yes and no, and blanks', () => {
  expect(tableText(['a', 'b', 'c'], [[1.5, true, null]])).toBe('a\tb\tc\n1.5\ttrue\t');
  expect(tableHtml(['a<b'], [['0142'], [null]])).toContain('<th>a&lt;b</th>');
  expect(tableHtml(['a'], [['<i>']])).toContain('&lt;i&gt;');
});
