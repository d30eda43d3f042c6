const encoder = new TextEncoder();
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** Order of two texts by Unicode code point, which is also the order of their UTF-8 bytes. */
export function compareCodePoints(a: string, b: string): number {
  const shorter = Math.min(a.length, b.length);
  for (let i = 0; i < shorter; i++) {
    const x = a.charCodeAt(i);
    const y = b.charCodeAt(i);
    if (x === y) continue;
    // UTF-16 puts surrogates (code points above U+FFFF) before U+E000…U+FFFF; lift them above.
    const lift = (unit: number) => (unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit);
    return lift(x) - lift(y);
  }
  return a.length - b.length;
}

/**
 * The distinct texts of a column, ascending by code point, so that the order of two codes is the order
 * of their texts. UTF-8 bytes end to end; text `c` is `bytes[offsets[c] .. offsets[c + 1])`.
 */
export class Dictionary {
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly offsets: Uint32Array<ArrayBuffer>;
  readonly size: number;
  #texts: (string | undefined)[] = [];

  constructor(bytes: Uint8Array<ArrayBuffer>, offsets: Uint32Array<ArrayBuffer>) {
    this.bytes = bytes;
    this.offsets = offsets;
    this.size = offsets.length - 1;
  }

  /** @param texts distinct, ascending by code point */
  static of(texts: string[]): Dictionary {
    const parts = texts.map((text) => encoder.encode(text));
    const offsets = new Uint32Array(texts.length + 1);
    parts.forEach((part, i) => (offsets[i + 1] = offsets[i] + part.length));
    const bytes = new Uint8Array(offsets[texts.length]);
    parts.forEach((part, i) => bytes.set(part, offsets[i]));
    return new Dictionary(bytes, offsets);
  }

  at(code: number): string {
    return (this.#texts[code] ??= decoder.decode(this.bytes.subarray(this.offsets[code], this.offsets[code + 1])));
  }

  /** Number of texts that come before `text`; with `orEqual`, before or equal to it. */
  rank(text: string, orEqual = false): number {
    let low = 0;
    let high = this.size;
    while (low < high) {
      const middle = (low + high) >>> 1;
      const order = compareCodePoints(this.at(middle), text);
      if (order < 0 || (orEqual && order === 0)) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** Code of `text`, or -1. */
  find(text: string): number {
    const code = this.rank(text);
    return code < this.size && this.at(code) === text ? code : -1;
  }
}
