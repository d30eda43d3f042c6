import fc from 'fast-check';
import { maskOf } from '../features/mask.ts';
import { addBins, binCounts } from './bin_counts.ts';

const BINS = 5;
const kind = fc.constantFrom(Uint8Array, Uint16Array, Uint32Array);
/** Rows up to several words of a mask, and sets of them one after the other, each near the one before or far from it. */
const asked = fc.nat(300).chain((rows) =>
  fc.record({
    of: fc.array(fc.nat(BINS), { minLength: rows, maxLength: rows }),
    kept: fc.array(fc.uniqueArray(fc.nat(Math.max(rows - 1, 0)), { maxLength: rows }), { minLength: 1, maxLength: 6 }),
    moved: fc.array(fc.nat(Math.max(rows - 1, 0)), { maxLength: 6 }),
  }),
);

test('rows of a mask are counted in their bins as one by one, also where few have changed since they were counted last', () => {
  fc.assert(
    fc.property(asked, kind, ({ of, kept, moved }, Kind) => {
      const bins = Kind.from(of);
      const plain = (rows: ReadonlySet<number>) =>
        Array.from({ length: BINS + 1 }, (_, bin) => of.filter((one, row) => one === bin && rows.has(row)).length);
      const sets = kept.map((rows) => new Set(of.length === 0 ? [] : rows));
      // Like a bound that moves: one row more or fewer each time.
      const along = new Set(sets[0]);
      for (const row of of.length === 0 ? [] : moved) {
        if (!along.delete(row)) along.add(row);
        sets.push(new Set(along));
      }
      for (const rows of sets) {
        const mask = maskOf([...rows], of.length);
        // What stands in a mask behind the last row is of no row.
        if (of.length % 32 !== 0) mask[mask.length - 1] |= ~0 << (of.length % 32);
        expect([...binCounts(bins, mask, BINS)]).toEqual(plain(rows));
        const twice = new Uint32Array(BINS + 1);
        addBins(bins, mask, twice);
        addBins(bins, mask, twice);
        expect([...twice]).toEqual(plain(rows).map((count) => 2 * count));
      }
    }),
  );
});

test('what is given out is not what is remembered', () => {
  const of = Uint8Array.of(0, 1, 1);
  binCounts(of, maskOf([0, 1], 3), 1).fill(9);
  expect([...binCounts(of, maskOf([0, 1, 2], 3), 1)]).toEqual([1, 2]);
});
