/** Longest name of a field, and longest text in one, in bytes. */
const LONGEST_NAME = 10;
export const LONGEST_TEXT = 254;

/**
 * Names of at most ten bytes, each its own (no case is told apart): shortened at the end, numbered where two would be the same.
 * @returns the names in the order given
 */
export function shortNames(names: readonly string[]): string[] {
  const taken = new Set<string>();
  /** The last number given to names that are cut to the same. */
  const numbers = new Map<string, number>();
  return names.map((name) => {
    const first = cut(name, LONGEST_NAME) || 'field';
    let short = first;
    for (let n = (numbers.get(first) ?? 0) + 1; taken.has(short.toLowerCase()); n++) {
      short = `${cut(name, LONGEST_NAME - 1 - String(n).length)}_${n}`;
      numbers.set(first, n);
    }
    taken.add(short.toLowerCase());
    return short;
  });
}

/** As much of a text as fits in some bytes of UTF-8, in whole characters. */
export function cut(text: string, bytes: number): string {
  return new TextDecoder().decode(cutBytes(new TextEncoder().encode(text), bytes));
}

/** As many bytes of UTF-8 as fit, without a character cut in two. */
export function cutBytes(encoded: Uint8Array, bytes: number): Uint8Array {
  if (encoded.length <= bytes) return encoded;
  let end = bytes;
  while (end > 0 && (encoded[end] & 0xc0) === 0x80) end--;
  return encoded.subarray(0, end);
}
