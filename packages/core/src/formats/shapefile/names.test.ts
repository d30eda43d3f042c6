import fc from 'fast-check';
import { cut, shortNames } from './names.ts';

const bytes = (text: string) => new TextEncoder().encode(text).length;
const name = fc.string({
  unit: fc.constantFrom('a', 'A', 'b', '_', '1', 'é', '木', '🌳'),
  minLength: 1,
  maxLength: 20,
});

test('every column gets a name of at most ten bytes that no other has in any case; one that fits and is free stays', () => {
  fc.assert(
    fc.property(fc.array(name, { maxLength: 60 }), (names) => {
      const short = shortNames(names);
      expect(short).toHaveLength(names.length);
      for (const one of short) expect(bytes(one)).toBeLessThanOrEqual(10);
      expect(new Set(short.map((one) => one.toLowerCase())).size).toBe(names.length);
      if (names.length > 0 && bytes(names[0]) <= 10) expect(short[0]).toBe(names[0]);
    }),
  );
});

test('a text is cut at a whole character, as late as it fits', () => {
  fc.assert(
    fc.property(name, fc.integer({ min: 1, max: 40 }), (text, most) => {
      const short = cut(text, most);
      expect(text.startsWith(short)).toBe(true);
      expect(bytes(short)).toBeLessThanOrEqual(most);
      const next = [...text][[...short].length] as string | undefined;
      if (next !== undefined) expect(bytes(short + next)).toBeGreaterThan(most);
    }),
  );
});

test('hundreds of columns that begin alike are numbered', () => {
  const short = shortNames(Array.from({ length: 300 }, (_, n) => `measurement_${n}`));
  expect(short.slice(0, 3)).toEqual(['measuremen', 'measurem_1', 'measurem_2']);
  expect(short[299]).toBe('measur_299');
});
