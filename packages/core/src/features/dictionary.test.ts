import fc from 'fast-check';
import { codesIn, compareCodePoints, Dictionary, mergedDictionaries } from './dictionary.ts';

const texts = fc
  .uniqueArray(fc.oneof(fc.string({ maxLength: 3, unit: 'binary' }), fc.constantFrom('', 'a', 'ä', '\ud83d\ude00', '\uffff', 'z')), {
    maxLength: 12,
  })
  .map((all) => all.toSorted(compareCodePoints));

test('codes of one dictionary in another, and both in one, are those that texts looked up one by one have', () => {
  fc.assert(
    fc.property(texts, texts, (mine, others) => {
      const [a, b] = [Dictionary.of(mine), Dictionary.of(others)];
      expect([...codesIn(a, b)]).toEqual(mine.map((text) => b.find(text)));
      const { dictionary, codes } = mergedDictionaries(a, b);
      const all = [...new Set([...mine, ...others])].sort(compareCodePoints);
      expect(Array.from({ length: dictionary.size }, (_, code) => dictionary.at(code))).toEqual(all);
      expect([...codes[0]].map((code) => all[code])).toEqual(mine);
      expect([...codes[1]].map((code) => all[code])).toEqual(others);
    }),
  );
});
