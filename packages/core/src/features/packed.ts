/**
 * Several typed arrays in one buffer: a Uint32 count, then type code and length of each, then the arrays, each from a
 * multiple of 8 bytes on, so that it can be viewed in place without copying or parsing. Little-endian.
 */
const TYPES = [Uint8Array, Uint16Array, Uint32Array, Int16Array, Int32Array, Float32Array, Float64Array] as const;
export type Packable = Uint8Array | Uint16Array | Uint32Array | Int16Array | Int32Array | Float32Array | Float64Array;

/** Typed arrays as one buffer, to be viewed by `unpack`. */
export function pack(arrays: readonly Packable[]): Uint8Array<ArrayBuffer> {
  let size = align(4 + 8 * arrays.length);
  const starts = arrays.map((array) => {
    const start = size;
    size = align(size + array.byteLength);
    return start;
  });
  const out = new Uint8Array(size);
  const header = new Uint32Array(out.buffer, 0, 1 + 2 * arrays.length);
  header[0] = arrays.length;
  arrays.forEach((array, i) => {
    header[1 + 2 * i] = TYPES.findIndex((type) => array instanceof type);
    header[2 + 2 * i] = array.length;
    out.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), starts[i]);
  });
  return out;
}

/** Views on what `pack` wrote. The bytes are copied once if they do not start at a multiple of 8. */
export function unpack(bytes: Uint8Array): Packable[] {
  const aligned = bytes.byteOffset % 8 === 0 ? bytes : bytes.slice();
  const { buffer, byteOffset } = aligned as Uint8Array<ArrayBuffer>;
  const count = new Uint32Array(buffer, byteOffset, 1)[0];
  const header = new Uint32Array(buffer, byteOffset, 1 + 2 * count);
  let at = align(4 + 8 * count);
  const arrays: Packable[] = [];
  for (let i = 0; i < count; i++) {
    const type = TYPES[header[1 + 2 * i]];
    const length = header[2 + 2 * i];
    arrays.push(new type(buffer, byteOffset + at, length));
    at = align(at + length * type.BYTES_PER_ELEMENT);
  }
  return arrays;
}

function align(bytes: number): number {
  return (bytes + 7) & ~7;
}
