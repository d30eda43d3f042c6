import { execFileSync } from 'node:child_process';
import fc from 'fast-check';
import { escapeLike, foldAccents, foldCase, likeMatcher } from './text_matching.ts';

test.each([
  ['Smith%', 'Smithson', true],
  ['Smith%', 'smithson', false],
  ['%son', 'Smithson', true],
  ['S_ith', 'Smith', true],
  ['S_ith', 'Sith', false],
  ['_', '𝒳', true], // one code point, two UTF-16 units
  ['100\\%', '100%', true],
  ['100\\%', '1000', false],
  ['a\\_b', 'a_b', true],
  ['a\\_b', 'axb', false],
  ['%a%a%', 'aa', true],
  ['%a%a%', 'a', false],
  ['', '', true],
  ['%', '', true],
  ['ab%ba', 'aba', false],
])('LIKE %s against %s', (pattern, text, expected) => expect(likeMatcher(pattern)(text)).toBe(expected));

// Unicode Character Database, CaseFolding.txt, statuses C and F.
test.each([
  ['ẞ', 'ss'],
  ['Straße', 'strasse'],
  ['ΌΣΟΣ', 'όσοσ'],
  ['ς', 'σ'],
  ['ﬁ', 'fi'],
  ['İ', 'i̇'],
])('case folding of %s', (text, folded) => expect(foldCase(text)).toBe(folded));

test('accents are taken off by canonical decomposition', () => {
  expect(foldAccents('Chêne à Åbo')).toBe('Chene a Abo');
  expect(foldAccents('é')).toBe(foldAccents('e\u0301'));
  expect(foldAccents('ø')).toBe('ø'); // has no decomposition
});

test('a pattern agrees with the regular expression that says the same', () => {
  const pattern = fc.array(fc.constantFrom('a', 'b', '%', '_'), { maxLength: 8 }).map((parts) => parts.join(''));
  const text = fc.array(fc.constantFrom('a', 'b'), { maxLength: 10 }).map((parts) => parts.join(''));
  fc.assert(
    fc.property(pattern, text, (p, t) => {
      const expected = new RegExp(`^${p.replaceAll('%', '.*').replaceAll('_', '.')}$`).test(t);
      expect(likeMatcher(p)(t)).toBe(expected);
    }),
    { numRuns: 1000 },
  );
});

test('an escaped text stands for itself', () => {
  fc.assert(fc.property(fc.string(), fc.string(), (a, b) => expect(likeMatcher(escapeLike(a))(b)).toBe(a === b)));
});

test('long pieces agree with it too', () => {
  const run = fc.tuple(fc.constantFrom('a', 'ab', '_', 'a_'), fc.integer({ min: 1, max: 40 })).map(([c, n]) => c.repeat(n));
  const pattern = fc.array(run, { minLength: 1, maxLength: 3 }).map((parts) => `%${parts.join('%b')}%`);
  const text = fc.array(fc.constantFrom('a', 'ab', 'b', 'aaaaaaaaaaaaaaaaaaaaaaaa'), { maxLength: 12 }).map((parts) => parts.join(''));
  fc.assert(
    fc.property(pattern, text, (p, t) => {
      const expected = new RegExp(`^${p.replaceAll('%', '[^]*').replaceAll('_', '.')}$`).test(t);
      expect(likeMatcher(p)(t)).toBe(expected);
    }),
    { numRuns: 500 },
  );
});

test('hostile patterns do not make the matcher go back and forth', () => {
  expect(likeMatcher('%a'.repeat(2000) + '%b')('a'.repeat(20_000))).toBe(false);
  expect(likeMatcher('_%a'.repeat(500) + 'b')('a'.repeat(20_000))).toBe(false);
  expect(likeMatcher(`%${'a'.repeat(5000)}b%`)('a'.repeat(500_000))).toBe(false);
  expect(likeMatcher(`%${'_a'.repeat(500)}b%`)('a'.repeat(200_000))).toBe(false);
});

// Python's str.casefold() is Unicode's full case folding without the mappings for Turkic languages.
test('texts are the same without case just where the folding of Unicode says so', () => {
  const script = `import json,unicodedata as u
print(json.dumps([[c,chr(c).casefold()] for c in range(0x110000) if u.category(chr(c)) not in ('Cn','Cs')]))`;
  const known = JSON.parse(execFileSync('/usr/bin/python3', ['-c', script], { maxBuffer: 1e9 }).toString()) as [number, string][];
  expect(known.length).toBeGreaterThan(200_000);
  const [theirs, ours] = [new Map<string, string>(), new Map<string, string>()];
  const differing = known.filter(([code, folded]) => {
    const mine = foldCase(String.fromCodePoint(code));
    const [a, b] = [theirs.get(folded) ?? mine, ours.get(mine) ?? folded];
    theirs.set(folded, a);
    ours.set(mine, b);
    return a !== mine || b !== folded;
  });
  expect(differing).toEqual([]);
});
