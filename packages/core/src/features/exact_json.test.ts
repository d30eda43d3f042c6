import fc from 'fast-check';
import { parseJson, printJson, wholeNumber } from './exact_json.ts';

// Doubles hold every whole number up to 2⁵³ (IEEE 754-2019, binary64); what a double rounds stays a BigInt.

test('what a double holds is what JSON.parse gives, whatever it looks like', () => {
  const value = fc.jsonValue();
  fc.assert(fc.property(value, (one) => expect(parseJson(JSON.stringify(one))).toEqual(JSON.parse(JSON.stringify(one)))));
  for (const text of ['0.1234567890123456789', '1234567890123456.5', '12345678901234567890123', '9007199254740992', '1e25'])
    expect(parseJson(`[${text}]`)).toEqual([Number(text)]);
});

test('whole numbers of 64 bits keep their digits, in any depth, and texts that look like them stay texts', () => {
  const whole = fc.bigInt(-(2n ** 63n), 2n ** 64n - 1n);
  const text = fc.string({ unit: fc.constantFrom('"', '\\', '1', '9', ':', ',', '[', ' ') });
  fc.assert(
    fc.property(whole, text, (number, around) => {
      const json = `{"a":[${number},{"__proto__":${number}}],${JSON.stringify(around)}:"${number}","d":0.${String(number).replace('-', '')}}`;
      const { a, d, ...rest } = parseJson(json) as { a: [bigint, Record<string, unknown>]; d: number } & Record<string, unknown>;
      // By its digits: a double that is spelled so stays one (30530294269868510 is 30530294269868512).
      expect(String(a[0])).toBe(String(number));
      expect(a[1]).toHaveProperty('__proto__', a[0]);
      expect(d).toBe(Number(`0.${String(number).replace('-', '')}`));
      expect(Object.values(rest)).toEqual([String(number)]);
      expect(printJson(a[0])).toBe(String(number));
    }),
    { numRuns: 2000 },
  );
});

test('printed again, all digits are there', () => {
  const text = '{"n":[9007199254740993,{"m":-9223372036854775808,"t":"x \\"y\\""}],"f":0.5,"z":null}';
  expect(printJson(parseJson(text))).toBe(text);
});

test.each<[string, number | bigint]>([
  ['9007199254740991', 9007199254740991],
  ['9007199254740993', 9007199254740993n],
  ['-9007199254740993', -9007199254740993n],
  // A double, which is spelled so.
  ['9007199254740994', 9007199254740994],
  // Longer than 64 bits: written by a program that means a double.
  ['100000000000000000001', 1e20],
  // A double, but one that would be spelled -9223372036854776000.
  ['-9223372036854775808', -9223372036854775808n],
])('%s', (digits, value) => expect(wholeNumber(digits)).toBe(value));

test('text that is no JSON is told as JSON.parse tells it', () => {
  expect(() => parseJson('[9007199254740993, }')).toThrow(/Unexpected token '}'/);
});
