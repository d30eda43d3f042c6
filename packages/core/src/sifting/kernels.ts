import { put, type Mask } from '../features/mask.ts';

/**
 * Loops over one chunk of one column. Each writes the chunk's bits into `out` from word `word` on and leaves missing
 * values to the caller, who masks with the validity.
 */

/** Values from `low` to `high`, both included. */
export function markRange(values: Float64Array | Int32Array | Uint32Array, low: number, high: number, out: Mask, word: number): void {
  const whole = values.length & ~31;
  let i = 0;
  for (; i < whole; i += 32) {
    let bits = 0;
    for (let b = 0; b < 32; b++) {
      const value = values[i + b];
      bits |= (+(value >= low) & +(value <= high)) << b;
    }
    out[word++] = bits;
  }
  let bits = 0;
  for (let b = 0; i < values.length; i++, b++) bits |= (+(values[i] >= low) & +(values[i] <= high)) << b;
  if (whole < values.length) out[word] = bits;
}

/** Codes whose entry in `table` is 1. */
export function markCodes(codes: Uint32Array, table: Uint8Array, out: Mask, word: number): void {
  const whole = codes.length & ~31;
  let i = 0;
  for (; i < whole; i += 32) {
    let bits = 0;
    for (let b = 0; b < 32; b++) bits |= table[codes[i + b]] << b;
    out[word++] = bits;
  }
  let bits = 0;
  for (let b = 0; i < codes.length; i++, b++) bits |= table[codes[i]] << b;
  if (whole < codes.length) out[word] = bits;
}

/** Values that are in the set. */
export function markMembers(values: Float64Array | Int32Array, set: ReadonlySet<number>, out: Mask, word: number): void {
  for (let i = 0; i < values.length; i++) if (set.has(values[i])) put(out, (word << 5) + i);
}
