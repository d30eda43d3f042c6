/** Longest name of a field, and longest text in one, in bytes. */
const LONGEST_NAME = 10;
export const LONGEST_TEXT = 254;

/**
 * Names of at most ten bytes, each its own (no case is told apart): shortened at the end, numbered where two would be the same.
 * @returns the names in the order given
 */
export function shortNames(names: readonly string[]): string[] {
  const taken = new Set<string>();
  return names.map((name) => {
    let short = cut(name, LONGEST_NAME) || 'field';
    for (let n = 1; taken.has(short.toLowerCase()); n++) short = `${cut(name, LONGEST_NAME - 1 - String(n).length)}_${n}`; // prettier-ignore
    taken.add(short.toLowerCase());
    return short;
  });
}

/** As much of a text as fits in so many bytes of UTF-8, without half a character. */
export function cut(text: string, bytes: number): string {
  const encoded = new TextEncoder().encode(text);
  if (encoded.length <= bytes) return text;
  let end = bytes;
  while (end > 0 && (encoded[end] & 0xc0) === 0x80) end--;
  return new TextDecoder().decode(encoded.subarray(0, end));
}
