import {
  and,
  checkFilter,
  chunksIn,
  columnNamed,
  count,
  exprOfTree,
  fullMask,
  CHUNK_ROWS,
  has,
  rowsOf,
  valueAt,
  vectorTile,
  type Column,
  type Expr,
  type Group,
  type Mask,
  type Sifter,
} from '@clean-sieve/core';
import { turnedGeometry, type FeedCrs } from './params.ts';

interface Published {
  tree: Group;
  rows: string | null;
  columns: string[];
}

/** Features of a feed as lines of GeoJSON, and how many there are in all. */
export interface FeedItems {
  matched: number;
  features: string[];
}

function published(sifter: Sifter, { tree, rows }: Published): Mask {
  if (rows !== null) {
    const bytes = Buffer.from(rows, 'base64');
    return new Uint32Array(Uint8Array.from(bytes).buffer);
  }
  const expr = exprOfTree(tree);
  return expr === null ? fullMask(sifter.table.rows) : sifter.verdict(expr).yes;
}

/** The features that a tree keeps just now, as bits in base64, and how many they are. */
export function keptBits(sifter: Sifter, tree: Group): { rows: string; kept: number } {
  const mask = published(sifter, { tree, rows: null, columns: [] });
  return { rows: Buffer.from(mask.buffer, mask.byteOffset, mask.byteLength).toString('base64'), kept: count(mask) };
}

const columnsOf = (sifter: Sifter, names: string[]): Column[] => names.flatMap((name) => columnNamed(sifter.table, name) ?? []);

/** A page of the features of a feed that a filter keeps. Throws a FilterError for one that does not fit the columns. */
export function feedItems(
  sifter: Sifter,
  task: Published & { filter: Expr | null; offset: number; limit: number; system: FeedCrs },
): FeedItems {
  let mask = published(sifter, task);
  const columns = columnsOf(sifter, task.columns);
  if (task.filter !== null) {
    // From outside only the columns of the feed can be spoken of: no areas, other sources or sieves.
    checkFilter(task.filter, columns);
    mask = and(mask, sifter.verdict(task.filter).yes);
  }
  const rows = rowsOf(mask).subarray(task.offset, task.offset + task.limit);
  return { matched: count(mask), features: Array.from(rows, (row) => featureText(sifter, row, columns, task.system)) };
}

/** One feature, null when the feed has none of that number. */
export function feedItem(sifter: Sifter, task: Published & { row: number; system: FeedCrs }): { feature: string | null } {
  const isThere = task.row >= 0 && task.row < sifter.table.rows && has(published(sifter, task), task.row);
  return { feature: isThere ? featureText(sifter, task.row, columnsOf(sifter, task.columns), task.system) : null };
}

export function feedTile(sifter: Sifter, task: Published & { z: number; x: number; y: number; name: string }): Uint8Array<ArrayBuffer> {
  return vectorTile(sifter.table, published(sifter, task), columnsOf(sifter, task.columns), task.name, task.z, task.x, task.y);
}

/** A feature with its number in the source, from 1, as its identifier, axes in the order of the system's definition. */
function featureText({ table }: Sifter, row: number, columns: Column[], { crs, northFirst }: FeedCrs): string {
  const geometry = chunksIn(table, crs)[Math.floor(row / CHUNK_ROWS)].geometryAt(row % CHUNK_ROWS);
  const properties = columns.map((column) => `${JSON.stringify(column.name)}:${JSON.stringify(valueAt(column, row))}`);
  const shape = JSON.stringify(geometry && northFirst ? turnedGeometry(geometry) : geometry);
  return `{"type":"Feature","id":${row + 1},"geometry":${shape},"properties":{${properties.join(',')}}}`;
}
