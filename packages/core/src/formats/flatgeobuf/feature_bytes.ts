import { GeometryType } from 'flatgeobuf/lib/mjs/flat-geobuf/geometry-type.js';
import { CHUNK_ROWS, valueAt, type Column } from '../../features/column.ts';
import { LINE, POINT, type GeometryChunk } from '../../features/geometry.ts';
import { textBytesOf } from '../../features/text_bytes.ts';
import { fileTypeOf, type FileType, type WrittenLayer } from '../writing.ts';

/** A column as the format stores it. */
export interface FgbField {
  name: string;
  type: FileType;
  column: Column;
  text: (row: number) => Uint8Array | null;
}

/** The columns of a layer as fields of the format, typed by the values that are written. */
export function fieldsOf({ table, rows }: WrittenLayer): FgbField[] {
  return table.columns.map((column) => ({ name: column.name, type: fileTypeOf(column, rows), column, text: textBytesOf(column) }));
}

/** A date is the midnight that begins it, since the format has no dates. */
const MIDNIGHT = new TextEncoder().encode('T00:00:00');

/** Bytes of a value of fixed length; texts have their length in front. */
const WIDTHS: Partial<Record<FileType, number>> = { boolean: 1, integer: 4, long: 8, double: 8 };

/** Places of the tables' fields, in bytes from the table's start (0: left out); a table starts with the way to its list of them. */
const FEATURE_FIELDS = { size: 12, geometry: 4, properties: 8 };
const SHAPE_FIELDS = { size: 20, ends: 4, xy: 8, z: 12, type: 16 };
const PARTS_FIELDS = { size: 12, type: 4, parts: 8 };

/**
 * Features of a layer as size-prefixed buffers of the format's schema (flatgeobuf.org, feature.fbs; the layout is that of
 * FlatBuffers' "internals"), written straight from the flat coordinates. The general builder makes a hundred small objects a
 * feature; since the index in front of the features needs their lengths, they would even be made twice.
 */
export class FeatureBytes {
  #layer: WrittenLayer;
  #fields: FgbField[];
  #multi: boolean;
  #z: boolean;
  #bytes = new Uint8Array(0);
  #view = new DataView(this.#bytes.buffer);
  /** Where the feature that is made begins. */
  #base = 0;
  /** Where the next item begins; in a dry run nothing else happens. */
  #at = 0;
  #dry = true;

  /**
   * @param multi single shapes as multiple ones of one part
   * @param z with heights
   */
  constructor(layer: WrittenLayer, fields: FgbField[], multi: boolean, z: boolean) {
    [this.#layer, this.#fields, this.#multi, this.#z] = [layer, fields, multi, z];
  }

  /** Bytes that the feature of a row takes, a multiple of eight. */
  lengthOf(row: number): number {
    this.#dry = true;
    return this.#lay(row);
  }

  /** Features of rows with their lengths, end to end. */
  of(rows: Uint32Array, lengths: Uint32Array): Uint8Array {
    this.#bytes = new Uint8Array(lengths.reduce((sum, length) => sum + length, 0));
    this.#dry = false;
    let base = 0;
    for (let i = 0; i < rows.length; i++) {
      this.#base = base;
      this.#view = new DataView(this.#bytes.buffer, base);
      this.#lay(rows[i]);
      this.#view.setUint32(0, lengths[i] - 4, true);
      base += lengths[i];
    }
    return this.#bytes;
  }

  #lay(row: number): number {
    const { table, shapes } = this.#layer;
    const chunk = table.geometry[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    this.#at = 8;
    const list = this.#at;
    this.#fieldList(FEATURE_FIELDS.size, [FEATURE_FIELDS.geometry, FEATURE_FIELDS.properties]);
    const feature = this.#table(list, FEATURE_FIELDS.size);
    this.#point(4, feature);
    this.#point(feature + FEATURE_FIELDS.properties, this.#properties(row));
    if (shapes && chunk.types[i] !== 0) this.#point(feature + FEATURE_FIELDS.geometry, this.#geometry(chunk, i));
    // A reference to nothing is left out of the list of fields.
    else this.#u16(list + 4, 0);
    this.#align(8, 0);
    return this.#at;
  }

  /** The list that tells where a table has its fields. */
  #fieldList(tableSize: number, places: number[]): number {
    this.#align(4, 0);
    const start = this.#at;
    this.#at += 4 + 2 * places.length;
    this.#u16(start, this.#at - start);
    this.#u16(start + 2, tableSize);
    places.forEach((place, i) => this.#u16(start + 4 + 2 * i, place));
    return start;
  }

  #table(list: number, size: number): number {
    this.#align(4, 0);
    const start = this.#at;
    this.#at += size;
    if (!this.#dry) this.#view.setInt32(start, start - list, true);
    return start;
  }

  /** Moves on so that, after some more bytes, the place is a multiple of `size`. */
  #align(size: number, more: number): void {
    this.#at += (size - ((this.#at + more) % size)) % size;
  }

  #u16(place: number, value: number): void {
    if (!this.#dry) this.#view.setUint16(place, value, true);
  }

  #u32(place: number, value: number): void {
    if (!this.#dry) this.#view.setUint32(place, value, true);
  }

  #point(place: number, target: number): void {
    this.#u32(place, target - place);
  }

  /** Numbered values, end to end, as a run of bytes. */
  #properties(row: number): number {
    this.#align(4, 0);
    const start = this.#at;
    this.#at += 4;
    for (let i = 0; i < this.#fields.length; i++) this.#property(i, row);
    this.#u32(start, this.#at - start - 4);
    return start;
  }

  #property(index: number, row: number): void {
    const { type, column, text } = this.#fields[index];
    const width = WIDTHS[type];
    if (width === undefined) {
      const bytes = text(row);
      if (bytes === null) return;
      const length = bytes.length + (type === 'date' ? MIDNIGHT.length : 0);
      this.#u16(this.#at, index);
      this.#u32(this.#at + 2, length);
      if (!this.#dry) {
        this.#bytes.set(bytes, this.#base + this.#at + 6);
        if (type === 'date') this.#bytes.set(MIDNIGHT, this.#base + this.#at + 6 + bytes.length);
      }
      this.#at += 6 + length;
      return;
    }
    const value = valueAt(column, row);
    if (value === null) return;
    this.#u16(this.#at, index);
    if (!this.#dry) this.#number(this.#at + 2, type, value as number | boolean);
    this.#at += 2 + width;
  }

  #number(place: number, type: FileType, value: number | boolean): void {
    if (type === 'boolean') this.#view.setUint8(place, Number(value));
    else if (type === 'integer') this.#view.setInt32(place, value as number, true);
    else if (type === 'long') this.#view.setBigInt64(place, BigInt(value), true);
    else this.#view.setFloat64(place, value as number, true);
  }

  #geometry(chunk: GeometryChunk, row: number): number {
    const [from, to] = [chunk.rowParts[row], chunk.rowParts[row + 1]];
    const type = this.#multi && chunk.types[row] <= 3 ? chunk.types[row] + 3 : chunk.types[row];
    // Polygons of a multipolygon and members of a collection are parts of their own; the rest is one run of positions.
    if (type < (GeometryType.MultiPolygon as number)) return this.#positions(chunk, from, to, type);
    const list = this.#fieldList(PARTS_FIELDS.size, [0, 0, 0, 0, 0, 0, PARTS_FIELDS.type, PARTS_FIELDS.parts]);
    const start = this.#table(list, PARTS_FIELDS.size);
    if (!this.#dry) this.#view.setUint8(start + PARTS_FIELDS.type, type);
    const parts = this.#at;
    this.#point(start + PARTS_FIELDS.parts, parts);
    this.#at += 4 + 4 * (to - from);
    this.#u32(parts, to - from);
    for (let p = from; p < to; p++) {
      const kind = chunk.partKinds[p];
      const partType = kind === POINT ? GeometryType.Point : kind === LINE ? GeometryType.LineString : GeometryType.Polygon;
      this.#point(parts + 4 + 4 * (p - from), this.#positions(chunk, p, p + 1, partType));
    }
    return start;
  }

  #positions(chunk: GeometryChunk, from: number, to: number, type: GeometryType): number {
    const { partRings, ringVertices } = chunk;
    const [firstRing, lastRing] = [partRings[from], partRings[to]];
    const [first, last] = [ringVertices[firstRing], ringVertices[lastRing]];
    // A polygon of one ring goes without; several lines need it even where they are one.
    const hasEnds = type === GeometryType.MultiLineString || (type === GeometryType.Polygon && lastRing - firstRing > 1);
    const list = this.#fieldList(SHAPE_FIELDS.size, [
      hasEnds ? SHAPE_FIELDS.ends : 0,
      SHAPE_FIELDS.xy,
      this.#z ? SHAPE_FIELDS.z : 0,
      0,
      0,
      0,
      SHAPE_FIELDS.type,
    ]);
    const start = this.#table(list, SHAPE_FIELDS.size);
    if (!this.#dry) this.#view.setUint8(start + SHAPE_FIELDS.type, type);
    if (hasEnds) {
      this.#align(4, 0);
      this.#point(start + SHAPE_FIELDS.ends, this.#at);
      this.#u32(this.#at, lastRing - firstRing);
      for (let g = firstRing; g < lastRing; g++) this.#u32(this.#at + 4 + 4 * (g - firstRing), ringVertices[g + 1] - first);
      this.#at += 4 + 4 * (lastRing - firstRing);
    }
    this.#doubles(start + SHAPE_FIELDS.xy, 2 * (last - first), (out) => out.set(chunk.xy.subarray(2 * first, 2 * last)));
    if (this.#z)
      this.#doubles(start + SHAPE_FIELDS.z, last - first, (out) => {
        if (chunk.z.length > 0) out.set(chunk.z.subarray(first, last));
        else out.fill(NaN);
      });
    return start;
  }

  #doubles(reference: number, count: number, fill: (out: Float64Array) => void): void {
    this.#align(8, 4);
    this.#point(reference, this.#at);
    this.#u32(this.#at, count);
    if (!this.#dry) fill(new Float64Array(this.#bytes.buffer, this.#base + this.#at + 4, count));
    this.#at += 4 + 8 * count;
  }
}
