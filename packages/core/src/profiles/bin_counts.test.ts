import fc from 'fast-check';
import { emptyMask, has, put } from '../features/mask.ts';
import { countBins } from './bin_counts.ts';

test('rows of a mask are counted in their bins as one by one, whatever their number and where they begin', () => {
  const bins = 5;
  const row = fc.record({ bin: fc.nat(bins), kept: fc.boolean() });
  const kind = fc.constantFrom(Uint8Array, Uint16Array, Uint32Array);
  fc.assert(
    fc.property(fc.array(row, { maxLength: 200 }), fc.nat(3), kind, (rows, words, Kind) => {
      const from = 32 * words;
      const kept = emptyMask(from + rows.length);
      // What lies before is of other rows.
      for (let i = 0; i < from; i++) put(kept, i);
      rows.forEach((one, i) => one.kept && put(kept, from + i));
      const counts = new Uint32Array(bins + 1);
      countBins(Kind.from(rows.map(({ bin }) => bin)), kept, from, counts);
      const plain = Array.from({ length: bins + 1 }, (_, bin) => rows.filter((one, i) => one.bin === bin && has(kept, from + i)).length);
      expect([...counts]).toEqual(plain);
    }),
  );
});
