import fc from 'fast-check';
import { pastedParts, pastedValues } from './pasted_values.ts';

test.each([
  ['a\nb\r\nc\n', ['a', 'b', 'c']],
  ['a\tb\tc', ['a', 'b', 'c']],
  ['Smith, John\nDoe, Jane', ['Smith, John', 'Doe, Jane']],
  ['a, b ,c', ['a', 'b', 'c']],
  ['a; b, c; d', ['a', 'b, c', 'd']],
  ['"a", \'b\', "c"', ['a', 'b', 'c']],
  ['"a",\n"b",\n', ['a', 'b']],
  [' \n ', []],
])('%j is the list %j', (text, parts) => expect(pastedParts(text)).toEqual(parts));

test('what is there is found, what is not is told with what it is probably meant to be', () => {
  const known = ['O’Hara Street', 'Zürich', '0142', 'Ash', 'oak', 'Oak'];
  expect(pastedValues("O'Hara Street\nzurich\n142\nAsh\nAsh\nAsch\nnothing of the kind", known)).toEqual({
    found: ['Ash'],
    missing: [
      { text: "O'Hara Street", near: ['O’Hara Street'] },
      { text: 'zurich', near: ['Zürich'] },
      { text: '142', near: ['0142'] },
      { text: 'Asch', near: ['Ash'] },
      { text: 'nothing of the kind', near: [] },
    ],
  });
  // Those that are told apart by case only are both offered.
  expect(pastedValues('OAK', known).missing).toEqual([{ text: 'OAK', near: ['oak', 'Oak'] }]);
});

test('numbers are found however they are written, with thousands apart too', () => {
  expect(pastedValues('1\n2.50\n1 000\nx', [1, 2.5, 1000, 7])).toEqual({ found: [1, 2.5, 1000], missing: [{ text: 'x', near: [] }] });
});

test('a list of the values themselves, a line each, is found whole and in its order', () => {
  const value = fc
    .string({ minLength: 1, unit: 'grapheme' })
    .filter((text) => pastedParts(`${text}\n-`)[0] === text && !/[\n\r\t]/.test(text));
  fc.assert(
    fc.property(fc.uniqueArray(value, { minLength: 1, maxLength: 12 }), (values) => {
      expect(pastedValues(`${values.join('\n')}\n`, values)).toEqual({ found: values, missing: [] });
    }),
  );
});
