import { CHUNK_ROWS, type Column } from '../../features/column.ts';
import { emptyBox, GEOMETRY_TYPES, growBox, LINE, POINT, POLYGON, type GeometryChunk, type GeometryType } from '../../features/geometry.ts';
import { has } from '../../features/mask.ts';
import { textBytesOf } from '../../features/text_bytes.ts';
import { changed, counted, emptyTextLosses, lost, vagueDateLosses, type Loss } from '../losses.ts';
import { fileTypeOf, hasHeights, typesIn, valuesOf, type FileType, type Pieces, type WrittenLayer } from '../writing.ts';
import { SHAPE_FILE_CODE } from './shp.ts';
import { cutBytes, LONGEST_TEXT, shortNames } from './names.ts';

/** Shape types of the Shapefile Technical Description (July 1998); with heights ten more. */
const KINDS: { ending: string; code: number; types: GeometryType[] }[] = [
  { ending: 'points', code: 1, types: ['Point'] },
  { ending: 'multipoints', code: 8, types: ['MultiPoint'] },
  { ending: 'lines', code: 3, types: ['LineString', 'MultiLineString'] },
  { ending: 'polygons', code: 5, types: ['Polygon', 'MultiPolygon'] },
];
/** What the format knows no value for. */
const NO_DATA = -1e39;
/** Records go on together, in about this many bytes. */
const BATCH = 1 << 17;

/** What a shapefile cannot hold as it is, and what is done about it. */
export function lossesOfShapefile(layer: WrittenLayer): Loss[] {
  const { table, rows } = layer;
  const short = shortNames(table.columns.map(({ name }) => name));
  const renamed = table.columns.flatMap(({ name }, i) => (name === short[i] ? [] : [{ name, as: short[i] }]));
  const cutTexts = table.columns.flatMap((column) => {
    const long = longCodes(column);
    if (long.size === 0) return [];
    const texts = rows.reduce((sum, row) => sum + (long.has(codeAt(column, row)) ? 1 : 0), 0);
    return texts > 0 ? [{ name: column.name, texts }] : [];
  });
  const collections = rows.reduce((sum, row) => sum + (typeOf(layer, row) === 'GeometryCollection' ? 1 : 0), 0);
  const files = groupsOf(layer).map(({ name }) => `${name}.shp`);
  return [
    ...(renamed.length > 0 ? [changed(`Names of ten characters: ${renamed.map(({ name, as }) => `${name} → ${as}`).join(', ')}`)] : []),
    ...cutTexts.map(({ name, texts }) =>
      lost(
        `${counted(texts, `text of ${name} is longer than 254 bytes and is`, `texts of ${name} are longer than 254 bytes and are`)} cut off`,
      ),
    ),
    ...(files.length > 1 ? [changed(`One file a kind of shape: ${files.join(', ')}`)] : []),
    ...(collections > 0
      ? [
          lost(
            `${counted(collections, 'collection of several kinds of shape cannot be in a shapefile and is', 'collections of several kinds of shape cannot be in a shapefile and are')} left out`,
          ),
        ]
      : []),
    ...vagueDateLosses(layer),
    ...emptyTextLosses(layer),
  ];
}

/** Codes of the distinct texts that are longer than a field. */
function longCodes({ dictionary }: Column): Set<number> {
  const long = new Set<number>();
  for (let code = 0; code < (dictionary?.size ?? 0); code++)
    if (dictionary!.offsets[code + 1] - dictionary!.offsets[code] > LONGEST_TEXT) long.add(code);
  return long;
}

function codeAt(column: Column, row: number): number {
  const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
  const i = row % CHUNK_ROWS;
  return chunk.type === 'text' && (!chunk.validity || has(chunk.validity, i)) ? chunk.codes[i] : -1;
}

function typeOf({ table }: WrittenLayer, row: number): GeometryType {
  return GEOMETRY_TYPES[table.geometry[Math.floor(row / CHUNK_ROWS)].types[row % CHUNK_ROWS]];
}

/** One file a kind of shape; features without a shape go with the first. */
function groupsOf(layer: WrittenLayer): { name: string; code: number; rows: Uint32Array }[] {
  const { table, rows, name } = layer;
  if (!layer.shapes) return [{ name, code: 0, rows }];
  const types = typesIn(table, rows);
  const present = KINDS.filter((kind) => kind.types.some((type) => types.has(type)));
  if (present.length <= 1 && !types.has('GeometryCollection')) return [{ name, code: present[0]?.code ?? 0, rows }];
  return present.map((kind, i) => ({
    name: `${name}_${kind.ending}`,
    code: kind.code,
    rows: rows.filter((row) => {
      const type = typeOf(layer, row);
      return kind.types.includes(type) || (i === 0 && type === 'None');
    }),
  }));
}

/** The files of a shapefile for each kind of shape: .shp, .shx, .dbf in UTF-8 with its .cpg, and .prj. */
export function shapefileParts(layer: WrittenLayer): { name: string; pieces: Pieces }[] {
  return groupsOf(layer).flatMap(({ name, code, rows }) => {
    const z = code > 0 && hasHeights(layer.table, rows);
    const shapes = new ShapeWriter(layer, rows, z ? code + 10 : code);
    const spatial = layer.shapes
      ? [
          { name: `${name}.shp`, pieces: shapes.shp() },
          { name: `${name}.shx`, pieces: shapes.shx() },
          ...(layer.wkt ? [{ name: `${name}.prj`, pieces: [layer.wkt] }] : []),
        ]
      : [];
    return [...spatial, { name: `${name}.dbf`, pieces: dbf(layer, rows) }, { name: `${name}.cpg`, pieces: ['UTF-8'] }];
  });
}

class ShapeWriter {
  #layer: WrittenLayer;
  #rows: Uint32Array;
  #code: number;
  /** Length of each record's content in bytes. */
  #lengths: Uint32Array;
  #header: Uint8Array;

  constructor(layer: WrittenLayer, rows: Uint32Array, code: number) {
    [this.#layer, this.#rows, this.#code] = [layer, rows, code];
    this.#lengths = new Uint32Array(rows.length);
    const box = emptyBox();
    const heights = [Infinity, -Infinity];
    rows.forEach((row, i) => {
      const { chunk, at } = this.#place(row);
      this.#lengths[i] = this.#lengthOf(chunk, at);
      const [x1, y1, x2, y2] = chunk.boxOf(at);
      if (x1 <= x2) {
        growBox(box, x1, y1);
        growBox(box, x2, y2);
      }
      if (chunk.z.length === 0) return;
      const [from, to] = chunk.vertexRange(at);
      for (let v = from; v < to; v++) {
        if (chunk.z[v] < heights[0]) heights[0] = chunk.z[v];
        if (chunk.z[v] > heights[1]) heights[1] = chunk.z[v];
      }
    });
    this.#header = this.#makeHeader(box, heights);
  }

  #place(row: number): { chunk: GeometryChunk; at: number } {
    return { chunk: this.#layer.table.geometry[Math.floor(row / CHUNK_ROWS)], at: row % CHUNK_ROWS };
  }

  #lengthOf(chunk: GeometryChunk, at: number): number {
    const [from, to] = chunk.vertexRange(at);
    const vertices = to - from;
    if (vertices === 0) return 4;
    const z = this.#code > 10;
    switch (this.#code % 10) {
      case 1:
        return z ? 36 : 20;
      case 8:
        return 40 + 16 * vertices + (z ? 32 + 16 * vertices : 0);
      default:
        return 44 + 4 * ringCount(chunk, at) + 16 * vertices + (z ? 32 + 16 * vertices : 0);
    }
  }

  #makeHeader(box: number[], heights: number[]): Uint8Array {
    const header = new Uint8Array(100);
    const view = new DataView(header.buffer);
    view.setInt32(0, SHAPE_FILE_CODE);
    view.setInt32(28, 1000, true);
    view.setInt32(32, this.#code, true);
    if (box[0] <= box[2]) box.forEach((side, i) => view.setFloat64(36 + 8 * i, side, true));
    if (this.#code > 10 && heights[0] <= heights[1]) heights.forEach((side, i) => view.setFloat64(68 + 8 * i, side, true));
    return header;
  }

  /** A header with the length of the file, which is counted in words of two bytes. */
  #headerFor(bytes: number): Uint8Array {
    const header = this.#header.slice();
    new DataView(header.buffer).setInt32(24, bytes / 2);
    return header;
  }

  *shp(): Generator<Uint8Array> {
    yield this.#headerFor(this.#lengths.reduce((sum, length) => sum + 8 + length, 100));
    for (let from = 0, to = 0; from < this.#rows.length; from = to) {
      let size = 0;
      for (; to < this.#rows.length && size < BATCH; to++) size += 8 + this.#lengths[to];
      const records = new Uint8Array(size);
      let start = 0;
      for (let i = from; i < to; i++) {
        const view = new DataView(records.buffer, start, 8 + this.#lengths[i]);
        view.setInt32(0, i + 1);
        view.setInt32(4, this.#lengths[i] / 2);
        const { chunk, at } = this.#place(this.#rows[i]);
        if (this.#lengths[i] > 4) this.#writeShape(new DataView(records.buffer, start + 8), chunk, at);
        start += 8 + this.#lengths[i];
      }
      yield records;
    }
  }

  *shx(): Generator<Uint8Array> {
    const index = new Uint8Array(8 * this.#rows.length);
    const view = new DataView(index.buffer);
    let offset = 100;
    this.#lengths.forEach((length, i) => {
      view.setInt32(8 * i, offset / 2);
      view.setInt32(8 * i + 4, length / 2);
      offset += 8 + length;
    });
    yield this.#headerFor(100 + index.length);
    yield index;
  }

  #writeShape(view: DataView, chunk: GeometryChunk, at: number): void {
    const { xy } = chunk;
    view.setInt32(0, this.#code, true);
    if (this.#code % 10 === 1) {
      const [v] = chunk.vertexRange(at);
      view.setFloat64(4, xy[2 * v], true);
      view.setFloat64(12, xy[2 * v + 1], true);
      if (this.#code > 10) view.setFloat64(20, zOf(chunk, v), true);
      if (this.#code > 10) view.setFloat64(28, NO_DATA, true);
      return;
    }
    chunk.boxOf(at).forEach((side, i) => view.setFloat64(4 + 8 * i, side, true));
    const rings = this.#code % 10 === 8 ? pointsOf(chunk, at) : ringsOf(chunk, at);
    let p = 36;
    if (this.#code % 10 !== 8) {
      view.setInt32(p, rings.length, true);
      p += 4;
    }
    view.setInt32(
      p,
      rings.reduce((sum, { from, to }) => sum + to - from, 0),
      true,
    );
    p += 4;
    if (this.#code % 10 !== 8) {
      let first = 0;
      for (const { from, to } of rings) {
        view.setInt32(p, first, true);
        first += to - from;
        p += 4;
      }
    }
    for (const { from, to, backwards } of rings)
      for (let i = 0; i < to - from; i++) {
        const v = backwards ? to - 1 - i : from + i;
        view.setFloat64(p, xy[2 * v], true);
        view.setFloat64(p + 8, xy[2 * v + 1], true);
        p += 16;
      }
    if (this.#code > 10) writeHeights(view, p, chunk, rings);
  }
}

/** Range and values of the heights, and no values of the measures that the format puts behind them. */
function writeHeights(view: DataView, start: number, chunk: GeometryChunk, rings: Ring[]): void {
  const heights = rings.flatMap(({ from, to, backwards }) => {
    const ring = Array.from({ length: to - from }, (_, i) => zOf(chunk, from + i));
    return backwards ? ring.reverse() : ring;
  });
  let [least, most] = [Infinity, -Infinity];
  for (const z of heights) if (z > NO_DATA) [least, most] = [Math.min(least, z), Math.max(most, z)];
  view.setFloat64(start, least <= most ? least : 0, true);
  view.setFloat64(start + 8, least <= most ? most : 0, true);
  heights.forEach((z, i) => view.setFloat64(start + 16 + 8 * i, z, true));
  const measures = start + 16 + 8 * heights.length;
  for (let i = 0; i < heights.length + 2; i++) view.setFloat64(measures + 8 * i, NO_DATA, true);
}

/** A run of vertices, written from its end where its direction is not the format's. */
interface Ring {
  from: number;
  to: number;
  backwards: boolean;
}

function zOf({ z }: GeometryChunk, v: number): number {
  return z.length > 0 && !Number.isNaN(z[v]) ? z[v] : NO_DATA;
}

function pointsOf({ rowParts, partKinds, partRings, ringVertices }: GeometryChunk, row: number): Ring[] {
  const points: Ring[] = [];
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++)
    if (partKinds[p] === POINT) points.push({ from: ringVertices[partRings[p]], to: ringVertices[partRings[p]] + 1, backwards: false });
  return points;
}

function ringCount({ rowParts, partKinds, partRings }: GeometryChunk, row: number): number {
  let rings = 0;
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) if (partKinds[p] >= LINE) rings += partRings[p + 1] - partRings[p];
  return rings;
}

/** Lines or rings of a row; shells run clockwise and holes the other way, as the format tells them apart. */
function ringsOf({ rowParts, partKinds, partRings, ringVertices, xy }: GeometryChunk, row: number): Ring[] {
  const rings: Ring[] = [];
  for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
    if (partKinds[p] < LINE) continue;
    for (let g = partRings[p]; g < partRings[p + 1]; g++) {
      const [from, to] = [ringVertices[g], ringVertices[g + 1]];
      const shell = g === partRings[p];
      rings.push({ from, to, backwards: partKinds[p] === POLYGON && isClockwise(xy, from, to) !== shell });
    }
  }
  return rings;
}

function isClockwise(xy: Float64Array, from: number, to: number): boolean {
  const [x0, y0] = [xy[2 * from], xy[2 * from + 1]];
  let sum = 0;
  for (let v = from + 1; v < to; v++) sum += (xy[2 * v - 2] - x0) * (xy[2 * v + 1] - y0) - (xy[2 * v] - x0) * (xy[2 * v - 1] - y0);
  return sum <= 0;
}

interface Field {
  name: string;
  type: 'C' | 'N' | 'L' | 'D';
  length: number;
  decimals: number;
  /** What stands in the cell: signs of a byte each, or UTF-8; null for an empty one. */
  cell: (row: number) => string | Uint8Array | null;
}

const encoder = new TextEncoder();

/** A dBASE III table in UTF-8; a missing value is an empty cell, a missing logical "?". */
function* dbf(layer: WrittenLayer, rows: Uint32Array): Generator<Uint8Array> {
  const short = shortNames(layer.table.columns.map(({ name }) => name));
  const fields = layer.table.columns.map((column, i) => fieldOf(column, short[i], rows));
  // The format has no table without a field.
  if (fields.length === 0) fields.push({ name: 'id', type: 'N', length: 10, decimals: 0, cell: (row) => String(row + 1) });
  const recordLength = fields.reduce((sum, field) => sum + field.length, 1);
  const header = new Uint8Array(33 + 32 * fields.length);
  const view = new DataView(header.buffer);
  const { made } = layer;
  header.set([3, made.getUTCFullYear() - 1900, made.getUTCMonth() + 1, made.getUTCDate()]);
  view.setUint32(4, rows.length, true);
  view.setUint16(8, header.length, true);
  view.setUint16(10, recordLength, true);
  fields.forEach((field, i) => {
    const at = 32 + 32 * i;
    header.set(encoder.encode(field.name), at);
    header[at + 11] = field.type.charCodeAt(0);
    header[at + 16] = field.length;
    header[at + 17] = field.decimals;
  });
  header[header.length - 1] = 0x0d;
  yield header;
  const together = Math.max(1, Math.floor(BATCH / recordLength));
  for (let first = 0; first < rows.length; first += together) {
    const batch = rows.subarray(first, first + together);
    const records = new Uint8Array(recordLength * batch.length).fill(0x20);
    batch.forEach((row, i) => {
      let at = i * recordLength + 1;
      for (const { type, length, cell } of fields) {
        const value = cell(row);
        if (typeof value === 'string') {
          // Numbers stand at the right.
          const start = type === 'N' ? at + length - value.length : at;
          for (let k = 0; k < value.length; k++) records[start + k] = value.charCodeAt(k);
        } else if (value !== null) records.set(value, at);
        at += length;
      }
    });
    yield records;
  }
  yield Uint8Array.of(0x1a);
}

function fieldOf(column: Column, name: string, rows: Uint32Array): Field {
  const type: FileType = fileTypeOf(column, rows);
  const read = valuesOf(column);
  switch (type) {
    case 'boolean':
      return { name, type: 'L', length: 1, decimals: 0, cell: (row) => ({ true: 'T', false: 'F', null: '?' })[String(read(row))]! };
    case 'date':
      return {
        name,
        type: 'D',
        length: 8,
        decimals: 0,
        cell: (row) => (read(row) as string | null)?.replaceAll('-', '') ?? null,
      };
    case 'integer':
    case 'long':
    case 'double':
      return numberField(name, read as (row: number) => number | null, rows);
    default: {
      const read = textBytesOf(column);
      const length = rows.reduce((most, row) => Math.max(most, read(row)?.length ?? 0), 1);
      const cell = (row: number) => {
        const bytes = read(row);
        return bytes && cutBytes(bytes, LONGEST_TEXT);
      };
      return { name, type: 'C', length: Math.min(length, LONGEST_TEXT), decimals: 0, cell };
    }
  }
}

/**
 * Wide enough for every value as it is spelled in full, so that reading gives back the same number. A column without
 * decimals is read as one of whole numbers, so that one with powers of ten has a decimal.
 */
function numberField(name: string, read: (row: number) => number | null, rows: Uint32Array): Field {
  let [before, after, scientific] = [1, 0, 0];
  for (const row of rows) {
    const value = read(row);
    if (value === null) continue;
    const text = String(value);
    if (text.includes('e')) {
      scientific = Math.max(scientific, text.length);
      continue;
    }
    const point = text.indexOf('.');
    const whole = point < 0 ? text.length : point;
    if (whole > before) before = whole;
    if (text.length - whole - 1 > after) after = text.length - whole - 1;
  }
  const plain = before + (after > 0 ? after + 1 : 0);
  const length = Math.max(plain, scientific);
  const decimals = Math.min(Math.max(after, scientific > 0 ? 1 : 0), 15, Math.max(0, length - 2));
  return { name, type: 'N', length, decimals, cell: (row) => read(row)?.toString() ?? null };
}
