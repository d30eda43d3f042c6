import { Builder } from 'flatbuffers';
import { Column as FgbColumn } from 'flatgeobuf/lib/mjs/flat-geobuf/column.js';
import { ColumnType } from 'flatgeobuf/lib/mjs/flat-geobuf/column-type.js';
import { Crs as FgbCrs } from 'flatgeobuf/lib/mjs/flat-geobuf/crs.js';
import { GeometryType } from 'flatgeobuf/lib/mjs/flat-geobuf/geometry-type.js';
import { Header } from 'flatgeobuf/lib/mjs/flat-geobuf/header.js';
import { calcTreeSize, generateLevelBounds } from 'flatgeobuf/lib/mjs/packedrtree.js';
import { magicbytes } from 'flatgeobuf/lib/mjs/constants.js';
import type { Box } from '../../features/geometry.ts';
import { boxesOf, curveOrder } from '../../space/curve_order.ts';
import { boxOfRows, commonType, hasHeights, type FileType, type WrittenLayer } from '../writing.ts';
import { FeatureBytes, fieldsOf, type FgbField } from './feature_bytes.ts';

const NODE_SIZE = 16;
const NODE_BYTES = 40;
/** Small features go on together, in about this many bytes. */
const BATCH = 1 << 17;

const COLUMN_TYPES: Record<FileType, ColumnType> = {
  integer: ColumnType.Int,
  long: ColumnType.Long,
  double: ColumnType.Double,
  text: ColumnType.String,
  boolean: ColumnType.Bool,
  date: ColumnType.DateTime,
  datetime: ColumnType.DateTime,
};

/**
 * FlatGeobuf, version 3 of its format (flatgeobuf.org), with a packed Hilbert R-tree: features stand in the order of the curve.
 * Features without a shape come last.
 */
export function* writeFlatGeobuf(layer: WrittenLayer): Generator<Uint8Array> {
  const { table, rows } = layer;
  const fields = fieldsOf(layer);
  const common = layer.shapes ? commonType(table, rows) : null;
  const z = layer.shapes && hasHeights(table, rows);
  const box = layer.shapes ? boxOfRows(table, rows) : null;
  const indexed = layer.shapes && rows.length > 0;
  const boxes = indexed ? boxesOf(table, rows) : new Float64Array(0);
  const order = indexed ? curveOrder(boxes, box!) : Uint32Array.from(rows, (_, i) => i);
  const multi = common?.startsWith('Multi') ?? false;
  yield magicbytes;
  yield headerOf(layer, fields, common === null ? GeometryType.Unknown : GeometryType[common as 'Point'], box, z, indexed ? NODE_SIZE : 0);
  const features = new FeatureBytes(layer, fields, multi, z);
  // The tree stands before the features and has their places.
  const lengths = Uint32Array.from(order, (at) => features.lengthOf(rows[at]));
  if (indexed) yield treeOf(boxes, order, lengths);
  for (let from = 0, to = 0; from < order.length; from = to) {
    for (let size = 0; to < order.length && size < BATCH; to++) size += lengths[to];
    yield features.of(
      order.slice(from, to).map((at) => rows[at]),
      lengths.subarray(from, to),
    );
  }
}

/** Nodes from the root down; a leaf has the place of its feature, any other node the number of its first child. */
function treeOf(boxes: Float64Array, order: Uint32Array, lengths: Uint32Array): Uint8Array {
  const bytes = new Uint8Array(calcTreeSize(order.length, NODE_SIZE));
  const view = new DataView(bytes.buffer);
  const levels = generateLevelBounds(order.length, NODE_SIZE);
  const put = (node: number, boxes: ArrayLike<number>, first: number, offset: number) => {
    const at = NODE_BYTES * node;
    for (let side = 0; side < 4; side++) view.setFloat64(at + 8 * side, boxes[first + side], true);
    view.setUint32(at + 32, offset % 2 ** 32, true);
    view.setUint32(at + 36, Math.floor(offset / 2 ** 32), true);
  };
  let offset = 0;
  order.forEach((at, i) => {
    put(levels[0][0] + i, boxes, 4 * at, offset);
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
      put(node, box, 0, child);
    }
  }
  return bytes;
}

function headerOf(layer: WrittenLayer, fields: FgbField[], type: GeometryType, box: Box | null, z: boolean, nodeSize: number): Uint8Array {
  const builder = new Builder();
  const text = (value: string | null) => (value === null || value === '' ? 0 : builder.createString(value));
  const columns = fields.map((field) => {
    const about = layer.about.get(field.name);
    const [name, title, description] = [builder.createString(field.name), text(about?.title ?? null), text(about?.description ?? null)];
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
