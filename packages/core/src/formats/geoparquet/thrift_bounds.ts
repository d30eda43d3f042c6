/**
 * Looks whether a structure in Thrift's compact protocol (Apache Thrift, thrift-compact-protocol.md) ends where its bytes do: one whose
 * bytes are damaged can name billions of members, and whoever reads it would go on for hours.
 */

const DEEPEST = 32;

export class ThriftError extends Error {}

/**
 * Goes through a structure without reading it.
 * @param end of the bytes that it may take
 * @returns where it ends, and its 32-bit numbers by their fields, as in 5.1 for the first of the structure in the fifth
 */
export function walkStruct(bytes: Uint8Array, start: number, end: number): { end: number; numbers: ReadonlyMap<string, number> } {
  const walker = new Walker(bytes, start, end);
  walker.struct(0, '');
  return { end: walker.at, numbers: walker.numbers };
}

class Walker {
  readonly #bytes: Uint8Array;
  readonly #end: number;
  readonly numbers = new Map<string, number>();
  at: number;

  constructor(bytes: Uint8Array, at: number, end: number) {
    [this.#bytes, this.at, this.#end] = [bytes, at, Math.min(end, bytes.length)];
  }

  /** @param path of its fields; null where they are members of a list or a map */
  struct(depth: number, path: string | null): void {
    if (depth > DEEPEST) throw new ThriftError('is nested too deep');
    for (let field = 0; ;) {
      const head = this.#byte();
      if (head === 0) return;
      field = head >>> 4 === 0 ? zigzag(this.#varint()) : field + (head >>> 4);
      const type = head & 15;
      // Yes and no stand in the head of the field.
      if (type === 1 || type === 2) continue;
      if (type === 5 && path !== null) this.numbers.set(`${path}${field}`, zigzag(this.#varint()));
      else this.#value(type, depth, path === null ? null : `${path}${field}.`);
    }
  }

  #value(type: number, depth: number, path: string | null): void {
    switch (type) {
      case 1:
      case 2:
      case 3:
        return this.#skip(1);
      case 4:
      case 5:
      case 6:
        return void this.#varint();
      case 7:
        return this.#skip(8);
      case 8:
        return this.#skip(this.#varint());
      case 9:
      case 10:
        return this.#list(depth + 1);
      case 11:
        return this.#map(depth + 1);
      case 12:
        return this.struct(depth + 1, path);
      default:
        throw new ThriftError(`has a member of an unknown type (${type})`);
    }
  }

  #list(depth: number): void {
    if (depth > DEEPEST) throw new ThriftError('is nested too deep');
    const head = this.#byte();
    const size = head >>> 4 === 15 ? this.#varint() : head >>> 4;
    this.#expect(size);
    for (let i = 0; i < size; i++) this.#value(head & 15, depth, null);
  }

  #map(depth: number): void {
    const size = this.#varint();
    if (size === 0) return;
    const types = this.#byte();
    this.#expect(size);
    for (let i = 0; i < size; i++) {
      this.#value(types >>> 4, depth, null);
      this.#value(types & 15, depth, null);
    }
  }

  #byte(): number {
    this.#expect(1);
    return this.#bytes[this.at++];
  }

  #skip(size: number): void {
    this.#expect(size);
    this.at += size;
  }

  /** Each member takes a byte at least. */
  #expect(size: number): void {
    if (size > this.#end - this.at) throw new ThriftError('names more than there is');
  }

  #varint(): number {
    let value = 0;
    for (let shift = 0; shift < 70; shift += 7) {
      const byte = this.#byte();
      value += (byte & 127) * 2 ** shift;
      if (byte < 128) return value;
    }
    throw new ThriftError('has a number without an end');
  }
}

const zigzag = (value: number): number => (value % 2 === 0 ? value / 2 : -(value + 1) / 2);
