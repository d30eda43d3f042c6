import { Builder } from 'flatbuffers';
import { Column as FgbColumn } from 'flatgeobuf/lib/mjs/flat-geobuf/column.js';
import { ColumnType } from 'flatgeobuf/lib/mjs/flat-geobuf/column-type.js';
import { Crs as FgbCrs } from 'flatgeobuf/lib/mjs/flat-geobuf/crs.js';
import { Feature } from 'flatgeobuf/lib/mjs/flat-geobuf/feature.js';
import { Geometry } from 'flatgeobuf/lib/mjs/flat-geobuf/geometry.js';
import { GeometryType } from 'flatgeobuf/lib/mjs/flat-geobuf/geometry-type.js';
import { Header } from 'flatgeobuf/lib/mjs/flat-geobuf/header.js';
import { calcTreeSize, generateLevelBounds } from 'flatgeobuf/lib/mjs/packedrtree.js';
import { magicbytes } from 'flatgeobuf/lib/mjs/constants.js';
import { GROUP_ROWS, type Value } from '../../features/column.ts';
import { LINE, POINT, type Box, type GeometryChunk } from '../../features/geometry.ts';
import { boxOfRows, commonType, fileTypeOf, hasHeights, valuesOf, type FileType, type WrittenLayer } from '../writing.ts'; // prettier-ignore

const NODE_SIZE = 16;
const NODE_BYTES = 40;
const MOST = 0xffff;

const COLUMN_TYPES: Record<FileType, ColumnType> = { integer: ColumnType.Int, long: ColumnType.Long, double: ColumnType.Double, text: ColumnType.String, boolean: ColumnType.Bool, date: ColumnType.DateTime, datetime: ColumnType.DateTime }; // prettier-ignore

interface FgbField {
  name: string;
  type: FileType;
  read: (row: number) => Value;
}

/**
 * FlatGeobuf, version 3 of its format (flatgeobuf.org), with a packed Hilbert R-tree: features stand in the order of the curve.
 * Features without a shape come last. A date is the midnight that begins it, since the format has no dates.
 */
export function* writeFlatGeobuf(layer: WrittenLayer): Generator<Uint8Array> {
  const { table, rows } = layer;
  const fields = table.columns.map((column): FgbField => ({ name: column.name, type: fileTypeOf(column, rows), read: valuesOf(column) })); // prettier-ignore
  const common = layer.shapes ? commonType(table, rows) : null;
  const z = layer.shapes && hasHeights(table, rows);
  const box = layer.shapes ? boxOfRows(table, rows) : null;
  const indexed = layer.shapes && rows.length > 0;
  const boxes = indexed ? boxesOf(layer) : new Float64Array(0);
  const order = indexed ? curveOrder(boxes, rows.length, box!) : Uint32Array.from(rows, (_, i) => i);
  const multi = common?.startsWith('Multi') ?? false;
  yield magicbytes;
  yield headerOf(layer, fields, common === null ? GeometryType.Unknown : GeometryType[common as 'Point'], box, z, indexed ? NODE_SIZE : 0); // prettier-ignore
  const feature = (i: number) => featureOf(layer, rows[order[i]], fields, multi, z);
  if (indexed) {
    // The tree stands before the features and has their places, so they are laid out once for their lengths.
    const lengths = Uint32Array.from(order, (_, i) => feature(i).length);
    yield treeOf(boxes, order, lengths);
  }
  for (let i = 0; i < order.length; i++) yield feature(i);
}

function boxesOf({ table, rows }: WrittenLayer): Float64Array {
  const boxes = new Float64Array(4 * rows.length);
  rows.forEach((row, i) => boxes.set(table.geometry[Math.floor(row / GROUP_ROWS)].boxOf(row % GROUP_ROWS), 4 * i));
  return boxes;
}

/** Positions sorted by the place of their middle on a Hilbert curve over the extent; those without a shape last. */
function curveOrder(boxes: Float64Array, count: number, [west, south, east, north]: Box): Uint32Array {
  const [width, height] = [east - west || 1, north - south || 1];
  const places = new Float64Array(count);
  for (let i = 0; i < count; i++) {
    const [x1, y1, x2, y2] = boxes.subarray(4 * i, 4 * i + 4);
    if (!(x1 <= x2)) places[i] = Infinity;
    else places[i] = hilbert(Math.floor((MOST * ((x1 + x2) / 2 - west)) / width), Math.floor((MOST * ((y1 + y2) / 2 - south)) / height)); // prettier-ignore
  }
  return Uint32Array.from(places, (_, i) => i).sort((a, b) => places[a] - places[b] || a - b);
}

/** Distance along the curve of a cell of a grid of 2¹⁶ by 2¹⁶ (common practice). */
function hilbert(x: number, y: number): number {
  let place = 0;
  for (let side = 0x8000; side > 0; side /= 2) {
    const [right, up] = [(x & side) > 0 ? 1 : 0, (y & side) > 0 ? 1 : 0];
    place += side * side * ((3 * right) ^ up);
    if (up === 0) {
      if (right === 1) [x, y] = [MOST - x, MOST - y];
      [x, y] = [y, x];
    }
  }
  return place;
}

/** Nodes from the root down; a leaf has the place of its feature, any other node the number of its first child. */
function treeOf(boxes: Float64Array, order: Uint32Array, lengths: Uint32Array): Uint8Array {
  const bytes = new Uint8Array(calcTreeSize(order.length, NODE_SIZE));
  const view = new DataView(bytes.buffer);
  const levels = generateLevelBounds(order.length, NODE_SIZE);
  const put = (node: number, box: ArrayLike<number>, offset: number) => {
    for (let side = 0; side < 4; side++) view.setFloat64(NODE_BYTES * node + 8 * side, box[side], true);
    view.setBigUint64(NODE_BYTES * node + 32, BigInt(offset), true);
  };
  let offset = 0;
  order.forEach((at, i) => {
    put(levels[0][0] + i, boxes.subarray(4 * at, 4 * at + 4), offset);
    offset += lengths[i];
  });
  for (let level = 1; level < levels.length; level++) {
    const [from, to] = levels[level - 1];
    for (let child = from, node = levels[level][0]; child < to; child += NODE_SIZE, node++) {
      const box = [Infinity, Infinity, -Infinity, -Infinity];
      for (let c = child; c < Math.min(to, child + NODE_SIZE); c++) {
        for (let side = 0; side < 4; side++) {
          const value = view.getFloat64(NODE_BYTES * c + 8 * side, true);
          box[side] = side < 2 ? Math.min(box[side], value) : Math.max(box[side], value);
        }
      }
      put(node, box, child);
    }
  }
  return bytes;
}

function headerOf(
  layer: WrittenLayer,
  fields: FgbField[],
  type: GeometryType,
  box: Box | null,
  z: boolean,
  nodeSize: number,
): Uint8Array {
  const builder = new Builder();
  const text = (value: string | null) => (value === null || value === '' ? 0 : builder.createString(value));
  const columns = fields.map((field) => {
    const about = layer.about.get(field.name);
    const [name, title, description] = [builder.createString(field.name), text(about?.title ?? null), text(about?.description ?? null)]; // prettier-ignore
    FgbColumn.startColumn(builder);
    FgbColumn.addName(builder, name);
    FgbColumn.addType(builder, COLUMN_TYPES[field.type]);
    if (title) FgbColumn.addTitle(builder, title);
    if (description) FgbColumn.addDescription(builder, description);
    return FgbColumn.endColumn(builder);
  });
  const columnsAt = Header.createColumnsVector(builder, columns);
  const [name, description] = [builder.createString(layer.name), text(layer.description)];
  const { crs } = layer.table;
  const code = crs.definition === null ? 4326 : Number(/^EPSG:(\d+)$/.exec(crs.name)?.[1] ?? 0);
  const [org, crsName, wkt] = [code ? builder.createString('EPSG') : 0, text(crs.label), text(layer.wkt)];
  FgbCrs.startCrs(builder);
  if (org) FgbCrs.addOrg(builder, org);
  FgbCrs.addCode(builder, code);
  if (crsName) FgbCrs.addName(builder, crsName);
  if (wkt) FgbCrs.addWkt(builder, wkt);
  const crsAt = FgbCrs.endCrs(builder);
  const envelope = box && box[0] <= box[2] ? Header.createEnvelopeVector(builder, Float64Array.from(box)) : 0;
  Header.startHeader(builder);
  Header.addName(builder, name);
  if (description) Header.addDescription(builder, description);
  if (envelope) Header.addEnvelope(builder, envelope);
  Header.addGeometryType(builder, type);
  Header.addHasZ(builder, z);
  Header.addColumns(builder, columnsAt);
  Header.addFeaturesCount(builder, BigInt(layer.rows.length));
  Header.addIndexNodeSize(builder, nodeSize);
  Header.addCrs(builder, crsAt);
  Header.finishSizePrefixedHeaderBuffer(builder, Header.endHeader(builder));
  return builder.asUint8Array().slice();
}

const encoder = new TextEncoder();
let properties = new Uint8Array(4096);
let view = new DataView(properties.buffer);
const builder = new Builder(4096);

/** A feature with its length in front; the bytes are good until the next one is made. */
function featureOf(
  { table, shapes }: WrittenLayer,
  row: number,
  fields: FgbField[],
  multi: boolean,
  z: boolean,
): Uint8Array {
  builder.clear();
  const length = writeProperties(row, fields);
  const propertiesAt = length > 0 ? Feature.createPropertiesVector(builder, properties.subarray(0, length)) : 0;
  const chunk = table.geometry[Math.floor(row / GROUP_ROWS)];
  const at = row % GROUP_ROWS;
  const geometryAt = shapes && chunk.types[at] !== 0 ? geometryOf(chunk, at, multi, z) : 0;
  Feature.startFeature(builder);
  if (geometryAt) Feature.addGeometry(builder, geometryAt);
  if (propertiesAt) Feature.addProperties(builder, propertiesAt);
  builder.finishSizePrefixed(Feature.endFeature(builder));
  return builder.asUint8Array().slice();
}

function writeProperties(row: number, fields: FgbField[]): number {
  let at = 0;
  const room = (bytes: number) => {
    if (at + bytes <= properties.length) return;
    const longer = new Uint8Array(Math.max(2 * properties.length, at + bytes));
    longer.set(properties);
    properties = longer;
    view = new DataView(properties.buffer);
  };
  fields.forEach(({ type, read }, i) => {
    const value = read(row);
    if (value === null) return;
    room(10);
    view.setUint16(at, i, true);
    at += 2;
    switch (type) {
      case 'boolean':
        view.setUint8(at, Number(value));
        at += 1;
        return;
      case 'integer':
        view.setInt32(at, value as number, true);
        at += 4;
        return;
      case 'long':
        view.setBigInt64(at, BigInt(value), true);
        at += 8;
        return;
      case 'double':
        view.setFloat64(at, value as number, true);
        at += 8;
        return;
      default: {
        const text = encoder.encode(type === 'date' ? `${value}T00:00:00` : String(value));
        room(4 + text.length);
        view.setUint32(at, text.length, true);
        properties.set(text, at + 4);
        at += 4 + text.length;
      }
    }
  });
  return at;
}

function geometryOf(chunk: GeometryChunk, row: number, multi: boolean, z: boolean): number {
  const { types, rowParts } = chunk;
  const [from, to] = [rowParts[row], rowParts[row + 1]];
  const type = multi && types[row] <= 3 ? types[row] + 3 : types[row];
  // Polygons of a multipolygon and members of a collection are parts of their own; the rest is one run of positions.
  if (type < (GeometryType.MultiPolygon as number)) return positionsOf(chunk, from, to, type, z);
  const parts = Array.from({ length: to - from }, (_, p) => {
    const kind = chunk.partKinds[from + p];
    return positionsOf(chunk, from + p, from + p + 1, kind === POINT ? GeometryType.Point : kind === LINE ? GeometryType.LineString : GeometryType.Polygon, z); // prettier-ignore
  });
  const partsAt = Geometry.createPartsVector(builder, parts);
  Geometry.startGeometry(builder);
  Geometry.addParts(builder, partsAt);
  Geometry.addType(builder, type);
  return Geometry.endGeometry(builder);
}

function positionsOf(
  { partRings, ringVertices, xy, z: heights }: GeometryChunk,
  from: number,
  to: number,
  type: GeometryType,
  z: boolean,
): number {
  const [first, last] = [ringVertices[partRings[from]], ringVertices[partRings[to]]];
  const ends: number[] = [];
  const hasEnds = type === GeometryType.Polygon || type === GeometryType.MultiLineString;
  if (hasEnds) for (let g = partRings[from]; g < partRings[to]; g++) ends.push(ringVertices[g + 1] - first);
  // A polygon of one ring goes without; several lines need it even where they are one.
  const endsAt =
    ends.length > 1 || type === GeometryType.MultiLineString ? Geometry.createEndsVector(builder, ends) : 0;
  const zAt = z ? Geometry.createZVector(builder, heights.length > 0 ? heights.subarray(first, last) : new Float64Array(last - first).fill(NaN)) : 0; // prettier-ignore
  const xyAt = Geometry.createXyVector(builder, xy.subarray(2 * first, 2 * last));
  Geometry.startGeometry(builder);
  if (endsAt) Geometry.addEnds(builder, endsAt);
  Geometry.addXy(builder, xyAt);
  if (zAt) Geometry.addZ(builder, zAt);
  Geometry.addType(builder, type);
  return Geometry.endGeometry(builder);
}
