import fc from 'fast-check';
import {
  and,
  andNot,
  assertSound,
  clearTail,
  copyRows,
  count,
  countAnd,
  countAndNot,
  drop,
  emptyMask,
  fillRows,
  fullMask,
  has,
  invertRows,
  maskOf,
  not,
  or,
  put,
  rowsOf,
} from './mask.ts';

const sizes = fc.constantFrom(0, 1, 31, 32, 33, 63, 64, 65, 100, 243, 1000);
const rowsWithin = (size: number) => fc.uniqueArray(fc.integer({ min: 0, max: Math.max(0, size - 1) }), { maxLength: size });

test('masks are sets, whatever the number of rows', () => {
  fc.assert(
    fc.property(
      sizes.chain((size) => fc.tuple(fc.constant(size), rowsWithin(size), rowsWithin(size))),
      ([size, first, second]) => {
        const [a, b] = [new Set(size === 0 ? [] : first), new Set(size === 0 ? [] : second)];
        const [x, y] = [maskOf(a, size), maskOf(b, size)];
        const all = Array.from({ length: size }, (_, row) => row);
        const expectRows = (mask: ReturnType<typeof emptyMask>, test: (row: number) => boolean) => {
          assertSound(mask, size);
          expect([...rowsOf(mask)]).toEqual(all.filter(test));
          expect(count(mask)).toBe(all.filter(test).length);
        };
        expectRows(and(x, y), (row) => a.has(row) && b.has(row));
        expectRows(or(x, y), (row) => a.has(row) || b.has(row));
        expectRows(andNot(x, y), (row) => a.has(row) && !b.has(row));
        expectRows(not(x, size), (row) => !a.has(row));
        expectRows(fullMask(size), () => true);
        expect(countAnd(x, y)).toBe(count(and(x, y)));
        expect(countAndNot(fullMask(size), x, y)).toBe(count(andNot(x, y)));
        expect(all.every((row) => has(x, row) === a.has(row))).toBe(true);
      },
    ),
  );
});

test('rows of one group are filled, turned round and copied without touching those beside them', () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 100 }), fc.integer({ min: 0, max: 2 }), (rows, word) => {
      const size = 32 * word + rows;
      const mask = emptyMask(size);
      fillRows(mask, word, rows);
      assertSound(mask, size);
      expect(count(mask)).toBe(rows);
      invertRows(mask, word, rows);
      assertSound(mask, size);
      expect(count(mask)).toBe(0);
      put(mask, size - 1);
      drop(mask, size - 1);
      copyRows(null, mask, word, rows);
      expect(count(mask)).toBe(rows);
      copyRows(emptyMask(rows), mask, word, rows);
      expect(count(mask)).toBe(0);
    }),
  );
});

test('a bit beyond the last row is a fault that is told', () => {
  const mask = emptyMask(33);
  put(mask, 33);
  expect(() => assertSound(mask, 33)).toThrow('beyond its 33 rows');
  expect(() => assertSound(mask, 65)).toThrow('not one of 65 rows');
  clearTail(mask, 33);
  expect(() => assertSound(mask, 33)).not.toThrow();
});
