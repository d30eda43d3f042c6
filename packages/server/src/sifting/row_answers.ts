import {
  columnNamed,
  compareRows,
  exprKey,
  exprOfTree,
  matchColumns,
  nodesIn,
  rowsOf,
  valueAt,
  type FeatureTable,
  type ShownMatch,
  type Sifter,
} from '@clean-sieve/core';
import type { Order, Question, RowsAnswer, Selection } from '../api/contract.ts';
import type { OpenSource } from './open_sources.ts';
import { selected } from './selected.ts';

/** Columns that the conditions show of what they are about; a look at near misses shows how far those are. */
function shownMatches(source: OpenSource, sifter: Sifter, selection: Selection): ShownMatch[] {
  const { tree, nearMissesOf } = selection;
  const asked = [...nodesIn(tree)].map(({ node }) => (node.kind === 'condition' && node.shows ? [node.id, node.shows] : null));
  if (nearMissesOf === undefined && asked.every((one) => one === null)) return [];
  const key = exprKey([sifter.asOf, sifter.resolve(exprOfTree(tree) ?? true), asked, nearMissesOf]);
  if (source.matched?.key === key) return source.matched.columns;
  const also = nearMissesOf === undefined ? undefined : { condition: nearMissesOf, shows: ['nearest' as const] };
  const columns = matchColumns(sifter, tree, selected(sifter, selection), also);
  source.matched = { key, columns };
  return columns;
}

/** Rows of a selection in an order. */
export function sortedRows(source: OpenSource, sifter: Sifter, selection: Selection, order: Order): Uint32Array {
  const matches = shownMatches(source, sifter, selection);
  const key = exprKey([
    sifter.asOf,
    sifter.resolve(exprOfTree(selection.tree) ?? true),
    selection.nearMissesOf,
    selection.nearMissesOf && selection.tree,
    order,
    matches.map(({ column }) => column.name),
  ]);
  if (source.sorted?.key === key) return source.sorted.rows;
  const rows = rowsOf(selected(sifter, selection));
  // A column that a condition showed a moment ago is gone with it: the source's own order then.
  const by = order && (matches.find(({ column }) => column.name === order.column)?.column ?? columnNamed(source.table, order.column));
  if (by) rows.sort(compareRows(by, order.descending));
  source.sorted = { key, rows };
  return rows;
}

/** All values of a feature. */
export function cells(table: FeatureTable, row: number) {
  return table.columns.map((column) => valueAt(column, row));
}

/** A page of a selection, with the columns that its conditions show. */
export function rowsPage(source: OpenSource, sifter: Sifter, asked: Question<'rows'>): RowsAnswer {
  const { order, offset, limit, ...selection } = asked;
  const matches = shownMatches(source, sifter, selection);
  const rows = sortedRows(source, sifter, selection, order);
  const page = [...rows.subarray(offset, offset + limit)];
  return {
    total: rows.length,
    matches: matches.map(({ condition, shows, column: { name, type } }) => ({ condition, shows, name, type })),
    rows: page.map((row) => ({
      row,
      cells: [...cells(source.table, row), ...matches.map(({ column }) => valueAt(column, row))],
    })),
  };
}
