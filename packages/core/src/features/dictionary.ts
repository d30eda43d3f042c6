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

/** Order of a text of one dictionary and one of another, by their bytes: nothing is decoded. */
function compareIn(a: Dictionary, i: number, b: Dictionary, j: number): number {
  const [fromA, fromB] = [a.offsets[i], b.offsets[j]];
  const [sizeA, sizeB] = [a.offsets[i + 1] - fromA, b.offsets[j + 1] - fromB];
  const shorter = Math.min(sizeA, sizeB);
  const [bytesA, bytesB] = [a.bytes, b.bytes];
  for (let k = 0; k < shorter; k++) {
    const order = bytesA[fromA + k] - bytesB[fromB + k];
    if (order !== 0) return order;
  }
  return sizeA - sizeB;
}

/** For each text of a dictionary its code in another one; -1 where that has it not. */
export function codesIn(own: Dictionary, other: Dictionary): Int32Array<ArrayBuffer> {
  const out = new Int32Array(own.size).fill(-1);
  for (let i = 0, j = 0; i < own.size && j < other.size;) {
    const order = compareIn(own, i, other, j);
    if (order === 0) out[i++] = j++;
    else if (order < 0) i++;
    else j++;
  }
  return out;
}

/** The texts of two dictionaries in one, and for each of the two the codes that its texts have there. */
export function mergedDictionaries(a: Dictionary, b: Dictionary): { dictionary: Dictionary; codes: [Uint32Array, Uint32Array] } {
  const codes: [Uint32Array, Uint32Array] = [new Uint32Array(a.size), new Uint32Array(b.size)];
  const texts: string[] = [];
  for (let i = 0, j = 0; i < a.size || j < b.size;) {
    const order = i === a.size ? 1 : j === b.size ? -1 : compareIn(a, i, b, j);
    const code = texts.length;
    texts.push(order <= 0 ? a.at(i) : b.at(j));
    if (order <= 0) codes[0][i++] = code;
    if (order >= 0) codes[1][j++] = code;
  }
  return { dictionary: Dictionary.of(texts), codes };
}
