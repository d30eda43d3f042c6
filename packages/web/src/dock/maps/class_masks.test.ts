import { count, maskOf, rowsOf } from '@clean-sieve/core';
import fc from 'fast-check';
import { classMasks } from './class_masks.ts';

test('each feature is in the mask of its class, and only if it is kept', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.constantFrom(0, 1, 2, 254, 255), fc.boolean()), { maxLength: 131 }), (rows) => {
      const codes = Uint8Array.from(rows, ([code]) => code);
      const kept = maskOf(
        rows.flatMap(([, isKept], row) => (isKept ? [row] : [])),
        rows.length,
      );
      const masks = classMasks(codes, [0, 1, 255], kept);
      for (const number of [0, 1, 255])
        expect([...rowsOf(masks.get(number)!)]).toEqual(rows.flatMap(([code, isKept], row) => (code === number && isKept ? [row] : [])));
      expect(masks.has(2)).toBe(false);
      const all = classMasks(codes, [0], null).get(0)!;
      expect(count(all)).toBe(rows.filter(([code]) => code === 0).length);
    }),
  );
});
