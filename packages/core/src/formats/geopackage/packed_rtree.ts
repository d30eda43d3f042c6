import { quotedName } from '../../sql_name.ts';
import type { MadeDatabase } from '../writing.ts';
import { boxesOf, curveOrder } from '../../space/curve_order.ts';
import type { Box } from '../../features/geometry.ts';
import type { FeatureTable } from '../../features/table.ts';
import { inserter } from './inserter.ts';

/** Entries of a node, and the bytes it takes with them: as SQLite lays an index of two dimensions out in pages of 4096 bytes. */
const ENTRIES = 51;
const ENTRY_BYTES = 24;
const NODE_BYTES = 4 + ENTRIES * ENTRY_BYTES;

/**
 * Fills an R-tree of SQLite (its documentation, "The SQLite R*Tree Module", 6) with the boxes of rows, whose numbers are their
 * places from 1 on: whole nodes of neighbours along a curve, written as the module stores them. Inserting them one by one
 * takes longer than all the rest of a GeoPackage. The module's own `rtreecheck` finds nothing to say.
 * @param name of the R-tree, quoted where it stands in statements
 * @param extent of all shapes; rows without a shape have no entry
 */
export function fillRTree(database: MadeDatabase, name: string, table: FeatureTable, rows: Uint32Array, extent: Box): void {
  const boxes = boxesOf(table, rows);
  const order = curveOrder(boxes, extent);
  let count = order.length;
  while (count > 0 && !(boxes[4 * order[count - 1]] <= boxes[4 * order[count - 1] + 2])) count--;
  if (count === 0) return;
  const part = (of: string) => quotedName(`${name}_${of}`);
  const node = database.statement(`INSERT OR REPLACE INTO ${part('node')} VALUES (?, ?)`);
  const parent = database.statement(`INSERT INTO ${part('parent')} VALUES (?, ?)`);

  /** Entries of the level at hand: number of the row or node, and its box as four bytes a side. */
  let level = {
    ids: Float64Array.from(order.subarray(0, count), (at) => at + 1),
    sides: sidesOf(boxes, order.subarray(0, count)),
  };
  // The root is node 1 and is written last, with the depth of the tree.
  let next = 2;
  const home = new Uint32Array(rows.length);
  for (let depth = 0; ; depth++) {
    const nodes = Math.ceil(level.ids.length / ENTRIES);
    const above = { ids: new Float64Array(nodes), sides: new Float32Array(4 * nodes) };
    for (let n = 0; n < nodes; n++) {
      const number = nodes === 1 ? 1 : next++;
      const [from, to] = [n * ENTRIES, Math.min((n + 1) * ENTRIES, level.ids.length)];
      above.ids[n] = number;
      above.sides.set(aroundOf(level.sides, from, to), 4 * n);
      for (let i = from; i < to; i++)
        if (depth === 0) home[level.ids[i] - 1] = number;
        else parent(level.ids[i], number);
      node(number, nodeBytes(level, from, to, nodes === 1 ? depth : 0));
    }
    if (nodes === 1) break;
    level = above;
  }
  const rowid = inserter(database, part('rowid'), 2);
  home.forEach((number, i) => number > 0 && rowid.add([i + 1, number]));
  rowid.end();
}

/** Sides as 32-bit numbers: least x, greatest x, least y, greatest y, rounded outwards as the module does. */
function sidesOf(boxes: Float64Array, order: Uint32Array): Float32Array {
  const sides = new Float32Array(4 * order.length);
  order.forEach((at, i) => {
    sides[4 * i] = below(boxes[4 * at]);
    sides[4 * i + 1] = -below(-boxes[4 * at + 2]);
    sides[4 * i + 2] = below(boxes[4 * at + 1]);
    sides[4 * i + 3] = -below(-boxes[4 * at + 3]);
  });
  return sides;
}

function below(value: number): number {
  const near = Math.fround(value);
  return near <= value ? near : Math.fround(near * (value < 0 ? 1 + 2 ** -23 : 1 - 2 ** -23));
}

function aroundOf(sides: Float32Array, from: number, to: number): number[] {
  const around = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = from; i < to; i++)
    for (let side = 0; side < 4; side++) {
      const value = sides[4 * i + side];
      around[side] = side % 2 === 0 ? Math.min(around[side], value) : Math.max(around[side], value);
    }
  return around;
}

function nodeBytes(level: { ids: Float64Array; sides: Float32Array }, from: number, to: number, depth: number): Uint8Array {
  const bytes = new Uint8Array(NODE_BYTES);
  const view = new DataView(bytes.buffer);
  view.setUint16(0, depth);
  view.setUint16(2, to - from);
  for (let i = from; i < to; i++) {
    const at = 4 + ENTRY_BYTES * (i - from);
    view.setUint32(at, Math.floor(level.ids[i] / 2 ** 32));
    view.setUint32(at + 4, level.ids[i] % 2 ** 32);
    for (let side = 0; side < 4; side++) view.setFloat32(at + 8 + 4 * side, level.sides[4 * i + side]);
  }
  return bytes;
}
