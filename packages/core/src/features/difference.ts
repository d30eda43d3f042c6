import { valueAt, type Column } from './column.ts';
import { columnNamed, geometryAt, type FeatureTable } from './table.ts';

/** What changed from one version of a table to the next. Counts of features, matched by a key. */
export interface Difference {
  added: number;
  gone: number;
  /** Matched features of which a value of a shared column or the geometry differs. */
  changed: number;
  same: number;
  /** Features without a key, or with one that stands more than once; they are not matched. */
  unmatched: { before: number; after: number };
  columns: { added: string[]; gone: string[]; retyped: { name: string; before: string; after: string }[] };
}

/** Rows of what changed: those gone are of the first table, the others of the second. */
export interface DifferenceRows {
  added: number[];
  gone: number[];
  changed: number[];
}
export const DIFFERENCE_PARTS = ['added', 'gone', 'changed'] as const;

/** @param key name of a column that both tables have */
export function differenceOf(before: FeatureTable, after: FeatureTable, key: string): Difference {
  const { added, gone, changed, same, shared, unmatched } = matched(before, after, key);
  return {
    added: added.length,
    gone: gone.length,
    changed: changed.length,
    same,
    unmatched,
    columns: {
      added: after.columns.filter(({ name }) => !columnNamed(before, name)).map(({ name }) => name),
      gone: before.columns.filter(({ name }) => !columnNamed(after, name)).map(({ name }) => name),
      retyped: shared.filter(([a, b]) => a.type !== b.type).map(([a, b]) => ({ name: a.name, before: a.type, after: b.type })),
    },
  };
}

/** @param key name of a column that both tables have */
export function differenceRows(before: FeatureTable, after: FeatureTable, key: string): DifferenceRows {
  const { added, gone, changed } = matched(before, after, key);
  return { added, gone, changed };
}

function matched(before: FeatureTable, after: FeatureTable, key: string) {
  const [keysBefore, keysAfter] = [rowsByKey(before, key), rowsByKey(after, key)];
  const shared = before.columns.flatMap((column): [Column, Column][] => {
    const other = columnNamed(after, column.name);
    return other ? [[column, other]] : [];
  });
  const [gone, changed]: number[][] = [[], []];
  let same = 0;
  for (const [value, row] of keysBefore.rows) {
    const other = keysAfter.rows.get(value);
    if (other === undefined) gone.push(row);
    else if (differs(before, after, shared, row, other)) changed.push(other);
    else same++;
  }
  const added = [...keysAfter.rows].flatMap(([value, row]) => (keysBefore.rows.has(value) ? [] : [row]));
  const unmatched = { before: keysBefore.unmatched, after: keysAfter.unmatched };
  const inOrder = (rows: number[]) => rows.sort((a, b) => a - b);
  return { added: inOrder(added), gone: inOrder(gone), changed: inOrder(changed), same, shared, unmatched };
}

function differs(before: FeatureTable, after: FeatureTable, shared: [Column, Column][], row: number, other: number): boolean {
  for (const [a, b] of shared) {
    const [x, y] = [valueAt(a, row), valueAt(b, other)];
    // A column that changed its type holds the same where it reads the same.
    if (a.type === b.type ? x !== y : String(x ?? '') !== String(y ?? '')) return true;
  }
  return JSON.stringify(geometryAt(before, row)) !== JSON.stringify(geometryAt(after, other));
}

function rowsByKey(table: FeatureTable, key: string): { rows: Map<string, number>; unmatched: number } {
  const column = columnNamed(table, key);
  if (!column) throw new Error(`There is no column ${key}`);
  const rows = new Map<string, number>();
  const twice = new Set<string>();
  let unmatched = 0;
  for (let row = 0; row < table.rows; row++) {
    const value = valueAt(column, row);
    if (value === null || value === '') {
      unmatched++;
      continue;
    }
    const text = String(value);
    if (rows.has(text) || twice.has(text)) {
      unmatched += twice.has(text) ? 1 : 2;
      twice.add(text);
      rows.delete(text);
    } else rows.set(text, row);
  }
  return { rows, unmatched };
}

/** Columns that could be the key: in both tables, and with a different value in nearly every row; best first. */
export function keyCandidates(before: FeatureTable, after: FeatureTable): string[] {
  const share = (table: FeatureTable, name: string) => (table.rows === 0 ? 1 : rowsByKey(table, name).rows.size / table.rows);
  return before.columns
    .filter(({ name, type }) => columnNamed(after, name) && type !== 'boolean')
    .map(({ name }) => ({ name, share: Math.min(share(before, name), share(after, name)) }))
    .filter((candidate) => candidate.share > 0.5)
    .sort((a, b) => b.share - a.share)
    .map(({ name }) => name);
}
