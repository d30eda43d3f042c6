import {
  and,
  cutPlaceOf,
  cutRows,
  exprOfTree,
  findNode,
  formOfExpr,
  fullMask,
  maskOf,
  rowsOf,
  withMatchColumns,
  type CutReport,
  type FeatureKey,
  type FeatureTable,
  type Geos,
  type Group,
  type Mask,
  type Sifter,
} from '@clean-sieve/core';
import type { Cut } from '../api/contract.ts';

export interface Kept {
  table: FeatureTable;
  rows: Uint32Array;
  /** Features of the source. */
  of: number;
  /** The source as it is, with what the conditions name made ready. */
  sifter: Sifter;
  cut: CutReport | null;
}

/** Which features: those that a tree keeps, or those picked of them; cut to what a condition is about. */
export interface Keeping {
  tree: Group;
  cut: Cut;
  picks?: readonly FeatureKey[] | null;
}

export type Report = (share: number, progress: string) => void;

/** What a tree keeps, or those of it that are picked; picks that the source no longer has are none. */
export function keptMask(sifter: Sifter, tree: Group, picks: readonly FeatureKey[] | null): Mask {
  const expr = exprOfTree(tree);
  const { rows } = sifter.table;
  const mask = expr === null ? fullMask(rows) : sifter.verdict(expr).yes;
  return picks
    ? and(
        mask,
        maskOf(
          picks.filter((key): key is number => typeof key === 'number' && key < rows),
          rows,
        ),
      )
    : mask;
}

/** What a sifter whose areas and layers are ready keeps, with the columns that conditions show, cut if that is asked. */
export function keptBySifter(sifter: Sifter, { tree, cut, picks = null }: Keeping, engine: Geos, report: Report): Kept {
  const mask = keptMask(sifter, tree, picks);
  const [table, rows, of] = [withMatchColumns(sifter, tree, mask), rowsOf(mask), sifter.table.rows];
  const node = cut && findNode(tree, cut.condition)?.node;
  const place = node?.kind === 'condition' ? cutPlaceOf(formOfExpr(node.expr, sifter.table.columns)) : null;
  if (!cut || !place) {
    if (cut) throw new Error('What is kept cannot be cut by this condition');
    return { table, rows, of, sifter, cut: null };
  }
  const done = cutRows(sifter, table, rows, place, cut.tolerance, engine, (row) =>
    report((0.3 * row) / Math.max(1, rows.length), `${row.toLocaleString('en-GB')} of ${rows.length.toLocaleString('en-GB')} features cut`),
  );
  return {
    table: done.table,
    rows: Uint32Array.from({ length: done.table.rows }, (_, row) => row),
    of,
    sifter,
    cut: done.report,
  };
}

/** What cutting did, for the notes of what was made. */
export function cutInWords({ cut, whole, gone, slivers, flattened }: CutReport, tolerance: number): string {
  const count = (value: number, what: string) => `${value.toLocaleString('en-GB')} ${what}`;
  return [
    `Cut: ${count(cut, cut === 1 ? 'feature' : 'features')} cut, ${count(whole, 'wholly within')}`,
    ...(gone > 0 ? [`${count(gone, 'that only touch left out')}`] : []),
    ...(flattened > 0 ? [`heights of ${count(flattened, 'left out')}`] : []),
    ...(tolerance > 0 ? [`${count(slivers, `parts below ${tolerance} m² or m`)}`] : []),
  ].join(', ');
}
