import type { Feature } from 'flatgeobuf/lib/mjs/flat-geobuf/feature.js';
import type { ColumnMeta } from 'flatgeobuf/lib/mjs/column-meta.js';

type Declared = Pick<ColumnMeta, 'name' | 'type'>;

/**
 * The attributes of a feature, each with its column: whole numbers of 64 bits as BigInt, date-times as text, binary data as bytes.
 * Source: the FlatGeobuf specification, version 3: a column's number (UInt16) and its value, little-endian, for each that
 * is not null; texts and binary data by their length (UInt32).
 * Throws a RangeError where the bytes end too early or name a column that is not there.
 */
export function* attributesOf(feature: Feature, columns: readonly Declared[]): Generator<[Declared, unknown]> {
  const bytes = feature.propertiesArray();
  if (!bytes) return;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const own = ownColumns(feature);
  const known = own.length > 0 ? own : columns;
  for (let at = 0; at < bytes.length;) {
    const column = known[view.getUint16(at, true)];
    if (!column) throw new RangeError('an attribute has no column');
    at += 2;
    const size = SIZES[column.type as number];
    if (size !== undefined) {
      yield [column, READERS[column.type as number](view, at)];
      at += size;
      continue;
    }
    const length = view.getUint32(at, true);
    at += 4;
    if (at + length > bytes.length) throw new RangeError('an attribute is longer than the feature');
    const content = bytes.subarray(at, at + length);
    yield [column, (column.type as number) === BINARY ? content : DECODER.decode(content)];
    at += length;
  }
}

/** Column type of binary data. */
export const BINARY = 14;
const DECODER = new TextDecoder();

/** Bytes of a value by column type; texts (11), JSON (12), date-times (13) and binary data (14) have their own length. */
const SIZES: (number | undefined)[] = [1, 1, 1, 2, 2, 4, 4, 8, 8, 4, 8];
const READERS: ((view: DataView, at: number) => unknown)[] = [
  (view, at) => view.getInt8(at),
  (view, at) => view.getUint8(at),
  (view, at) => view.getUint8(at) !== 0,
  (view, at) => view.getInt16(at, true),
  (view, at) => view.getUint16(at, true),
  (view, at) => view.getInt32(at, true),
  (view, at) => view.getUint32(at, true),
  (view, at) => view.getBigInt64(at, true),
  (view, at) => view.getBigUint64(at, true),
  (view, at) => view.getFloat32(at, true),
  (view, at) => view.getFloat64(at, true),
];

/** Columns that a feature declares for itself. */
function ownColumns(feature: Feature): Declared[] {
  return Array.from({ length: feature.columnsLength() }, (_, i) => {
    const column = feature.columns(i)!;
    return { name: column.name() ?? '', type: column.type() };
  });
}
