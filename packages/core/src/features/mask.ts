/**
 * A set of features as one bit each: bit `i & 31` of word `i >>> 5` (least significant first, as in
 * Arrow's validity bitmaps). Bits at and beyond the number of features are always 0.
 */
export type Mask = Uint32Array<ArrayBuffer>;

/** Words of 32 bits that a mask of so many rows takes. */
export function maskWords(rows: number): number {
  return (rows + 31) >>> 5;
}

/** A mask of so many rows with none in it. */
export function emptyMask(rows: number): Mask {
  return new Uint32Array(maskWords(rows));
}

/** A mask of so many rows with all in it; the bits behind the last row are 0. */
export function fullMask(rows: number): Mask {
  const mask = new Uint32Array(maskWords(rows)).fill(0xffffffff);
  clearTail(mask, rows);
  return mask;
}

/** Sets the bits at and beyond `rows` to 0, which every other function relies on. */
export function clearTail(mask: Mask, rows: number): void {
  const spare = rows & 31;
  if (spare !== 0) mask[mask.length - 1] &= 0xffffffff >>> (32 - spare);
}

/** Sets the bits of `rows` rows from word `word` on, and no others of those words. */
export function fillRows(mask: Mask, word: number, rows: number): void {
  const words = maskWords(rows);
  mask.fill(0xffffffff, word, word + words);
  clearTail(mask.subarray(word, word + words), rows);
}

/** Turns the bits of `rows` rows from word `word` on round. */
export function invertRows(mask: Mask, word: number, rows: number): void {
  const words = maskWords(rows);
  for (let w = word; w < word + words; w++) mask[w] = ~mask[w];
  clearTail(mask.subarray(word, word + words), rows);
}

/** Writes the bits of `rows` rows from word `word` on: those of another mask, or all of them when there is none. */
export function copyRows(source: Mask | null, mask: Mask, word: number, rows: number): void {
  if (source) mask.set(source.subarray(0, maskWords(rows)), word);
  else fillRows(mask, word, rows);
}

/** Throws when a mask is not one of so many rows or has a bit set beyond them: a fault of the program, never an answer. */
export function assertSound(mask: Mask, rows: number): void {
  const spare = rows & 31;
  if (mask.length !== maskWords(rows)) throw new Error(`A mask of ${mask.length} words is not one of ${rows} rows`);
  if (spare !== 0 && mask[mask.length - 1] >>> spare !== 0) throw new Error(`A mask has bits beyond its ${rows} rows`);
}

/** Whether a row is in a mask. */
export function has(mask: Mask, row: number): boolean {
  return ((mask[row >>> 5] >>> (row & 31)) & 1) === 1;
}

/** Takes a row out of a mask. */
export function drop(mask: Mask, row: number): void {
  mask[row >>> 5] &= ~(1 << (row & 31));
}

/** Puts a row into a mask. */
export function put(mask: Mask, row: number): void {
  mask[row >>> 5] |= 1 << (row & 31);
}

/** @param out taken for the result; a new mask unless given */
export function and(a: Mask, b: Mask, out: Mask = new Uint32Array(a.length)): Mask {
  for (let w = 0; w < out.length; w++) out[w] = a[w] & b[w];
  return out;
}

/** Rows that are in one of two masks of one length. */
export function or(a: Mask, b: Mask): Mask {
  const out = new Uint32Array(a.length);
  for (let w = 0; w < out.length; w++) out[w] = a[w] | b[w];
  return out;
}

/** @param out taken for the result; a new mask unless given */
export function andNot(a: Mask, b: Mask, out: Mask = new Uint32Array(a.length)): Mask {
  for (let w = 0; w < out.length; w++) out[w] = a[w] & ~b[w];
  return out;
}

/** Rows, of so many, that are not in a mask. */
export function not(a: Mask, rows: number): Mask {
  const out = a.slice();
  invertRows(out, 0, rows);
  return out;
}

/** Number of set bits in a 32-bit word. Source: H. S. Warren, Hacker's Delight, 2nd ed., section 5-1. */
function popcount(word: number): number {
  let v = word - ((word >>> 1) & 0x55555555);
  v = (v & 0x33333333) + ((v >>> 2) & 0x33333333);
  return (((v + (v >>> 4)) & 0x0f0f0f0f) * 0x01010101) >>> 24;
}

/** How many rows are in a mask. */
export function count(mask: Mask): number {
  let total = 0;
  for (let w = 0; w < mask.length; w++) total += popcount(mask[w]);
  return total;
}

/** How many rows are in both of two masks of one length. */
export function countAnd(a: Mask, b: Mask): number {
  let total = 0;
  for (let w = 0; w < a.length; w++) total += popcount(a[w] & b[w]);
  return total;
}

/** Number of rows in `a` and `b` but not in `c`. */
export function countAndNot(a: Mask, b: Mask, c: Mask): number {
  let total = 0;
  for (let w = 0; w < a.length; w++) total += popcount(a[w] & b[w] & ~c[w]);
  return total;
}

/** The rows in the set, ascending. */
export function rowsOf(mask: Mask): Uint32Array {
  const out = new Uint32Array(count(mask));
  let at = 0;
  for (let w = 0; w < mask.length; w++) {
    let word = mask[w];
    while (word !== 0) {
      const lowest = word & -word;
      out[at++] = (w << 5) + 31 - Math.clz32(lowest);
      word ^= lowest;
    }
  }
  return out;
}

/**
 * A mask of so many rows with these in it.
 * @param rows each from 0 to `size - 1`
 */
export function maskOf(rows: Iterable<number>, size: number): Mask {
  const mask = emptyMask(size);
  for (const row of rows) put(mask, row);
  return mask;
}
