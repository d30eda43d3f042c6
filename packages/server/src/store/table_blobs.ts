import {
  Dictionary,
  GeometryChunk,
  pack,
  unpack,
  type Column,
  type ColumnChunk,
  type ColumnType,
  type Mask,
  type Packable,
} from '@clean-sieve/core';

/** The parts of a table as bytes that are viewed where they lie: nothing of them is parsed. */

const NONE = new Uint32Array(0);
const bytesOf = (arrays: Packable[]): Buffer => Buffer.from(pack(arrays).buffer);

/** What is known of a chunk of values beside them. Without a range both bounds are null. */
export interface ChunkFacts {
  rowCount: number;
  nulls: number;
  min: number | null;
  max: number | null;
}

export function factsOf(chunk: ColumnChunk): ChunkFacts {
  const [min, max] = 'min' in chunk && chunk.min <= chunk.max ? [chunk.min, chunk.max] : [null, null];
  return { rowCount: chunk.rows, nulls: chunk.nulls, min, max };
}

export const dictionaryBytes = ({ bytes, offsets }: Dictionary): Buffer => bytesOf([bytes, offsets]);

export function openDictionary(bytes: ArrayBuffer): Dictionary {
  const [text, offsets] = unpack(new Uint8Array(bytes)) as [Uint8Array<ArrayBuffer>, Uint32Array<ArrayBuffer>];
  return new Dictionary(text, offsets);
}

export function chunkBytes(chunk: ColumnChunk): Buffer {
  const validity = chunk.validity ?? NONE;
  switch (chunk.type) {
    case 'number':
    case 'boolean':
      return bytesOf([validity, chunk.values]);
    case 'text':
      return bytesOf([validity, chunk.codes]);
    case 'date':
      return bytesOf([validity, chunk.days, chunk.precision ?? new Uint8Array(0)]);
    case 'datetime':
      return bytesOf([validity, chunk.millis, chunk.offsets]);
  }
}

export function openChunk(type: ColumnType, facts: ChunkFacts, bytes: ArrayBuffer): ColumnChunk {
  const [validity, values, extra] = unpack(new Uint8Array(bytes)) as unknown as [Mask, never, never];
  const base = { rows: facts.rowCount, nulls: facts.nulls, validity: validity.length > 0 ? validity : null };
  const range = { min: facts.min ?? Infinity, max: facts.max ?? -Infinity };
  switch (type) {
    case 'number':
      return { ...base, ...range, type, values };
    case 'boolean':
      return { ...base, type, values };
    case 'text':
      return { ...base, type, codes: values };
    case 'date':
      return { ...base, ...range, type, days: values, precision: (extra as Uint8Array).length > 0 ? extra : null };
    case 'datetime':
      return { ...base, ...range, type, millis: values, offsets: extra };
  }
}

/** A column of what is stored or held. */
export function openColumn(
  name: string,
  type: ColumnType,
  role: string | null,
  dictionary: Dictionary | null,
  chunks: ColumnChunk[],
): Column {
  return { name, type, ...(role ? { role: role as Column['role'] } : {}), dictionary, chunks };
}

export function geometryBytes({ types, rowParts, partKinds, partRings, ringVertices, xy, z, tree, treeRows }: GeometryChunk): Buffer {
  return bytesOf([types, rowParts, partKinds, partRings, ringVertices, xy, z, tree, treeRows]);
}

export function openGeometry(bytes: ArrayBuffer): GeometryChunk {
  const [types, rowParts, partKinds, partRings, ringVertices, xy, z, tree, treeRows] = unpack(new Uint8Array(bytes)) as never[];
  return new GeometryChunk({ types, rowParts, partKinds, partRings, ringVertices, xy, z, tree, treeRows });
}
