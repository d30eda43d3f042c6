import { headingInWords, type Page, type TableLayout } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { headingOf } from '../../words/cells.ts';

/** A column of the table, with its place in a row's cells. */
export interface TableColumn {
  column: ColumnInfo;
  cell: number;
  heading: string;
  /** It shows what a condition is about, rather than something of the source. */
  match: boolean;
  pinned: boolean;
  width: number;
  /** Its number from the left, from 1; the column of the picks is the first. */
  number: number;
}

/** The column with which rows are picked. */
export const TICK = 30;
const MOST_WIDE = 260;
/** What a column takes at most of the room that is left over. */
const MOST_EXTRA = 120;

/**
 * The columns of a table from left to right: pinned ones, what conditions show, then the others.
 * @param matches columns that conditions show; their cells follow those of the source
 * @param room width in pixels to be filled, if there is as much
 */
export function tableColumns(
  columns: readonly ColumnInfo[],
  matches: Page['matches'],
  { order, pinned, hidden, widths }: TableLayout,
  room: number,
): TableColumn[] {
  const known = new Map(columns.map((column, cell) => [column.name, { column, cell }]));
  const named = [...pinned, ...order, ...known.keys()].filter((name) => known.has(name) && !hidden.includes(name));
  const own = [...new Set(named)]
    .map((name) => known.get(name)!)
    .filter(({ column }) => !column.hidden)
    .map(({ column, cell }) => ({ column, cell, heading: headingOf(column), match: false, pinned: pinned.includes(column.name) }));
  const added = matches.map((match, i) => ({
    column: columnOfMatch(match),
    cell: columns.length + i,
    heading: headingInWords(match.name),
    match: true,
    pinned: false,
  }));
  const first = own.filter((one) => one.pinned);
  const all = [...first, ...added, ...own.slice(first.length)];
  const sized = all.map((one) => ({ ...one, width: widths[one.column.name] ?? fittingWidth(one) }));
  const left = room - TICK - sized.reduce((sum, { width }) => sum + width, 0);
  const growing = sized.filter(({ column }) => !(column.name in widths)).length;
  const extra = growing === 0 ? 0 : Math.max(0, Math.min(MOST_EXTRA, Math.floor(left / growing)));
  return sized.map((one, i) => ({ ...one, number: i + 2, width: one.width + (one.column.name in widths ? 0 : extra) }));
}

function columnOfMatch({ name, type }: Page['matches'][number]): ColumnInfo {
  const bare = { nulls: 0, empty: 0, distinct: 0, min: null, max: null, title: null, description: null };
  return { ...bare, name, type, hidden: false, derivation: null, codeList: null };
}

/** A width from type and heading; wide texts are cut with an ellipsis and shown whole on hover. */
function fittingWidth({ column, heading, match }: Pick<TableColumn, 'column' | 'heading' | 'match'>): number {
  const content = () => {
    if (column.type === 'datetime') return 170;
    if (column.type === 'date') return 112;
    if (column.type !== 'text') return 88;
    if (match) return 150;
    if (column.codeList !== null) return 190;
    // Of a live source it is not told which texts there are.
    if (column.min === null && column.distinct > 0) return 150;
    return Math.max(String(column.min ?? '').length, String(column.max ?? '').length) * 7.2 + 26;
  };
  return Math.round(Math.min(MOST_WIDE, Math.max(heading.length * 7.4 + 40, content(), 64)));
}

/** A column put in front of another one, or at the end; of a pinned one it takes the pin. */
export function movedBefore(layout: TableLayout, shown: readonly string[], name: string, before: string | null): Partial<TableLayout> {
  const without = shown.filter((one) => one !== name);
  const at = before === null ? without.length : without.indexOf(before);
  const order = [...without.slice(0, at), name, ...without.slice(at)];
  const pinned = layout.pinned.filter((one) => one !== name);
  const isPinned = before !== null && layout.pinned.includes(before);
  if (!isPinned) return { order, pinned };
  const place = pinned.indexOf(before);
  return { order, pinned: [...pinned.slice(0, place), name, ...pinned.slice(place)] };
}

/** What a click on a head makes of the order: up, down, and none; with the shift key beside the columns that are there. */
export function sortedBy(sort: TableLayout['sort'], column: string, beside: boolean): TableLayout['sort'] {
  const current = sort.find((one) => one.column === column);
  const next = current ? (current.descending ? [] : [{ column, descending: true }]) : [{ column, descending: false }];
  if (!beside) return next;
  return current ? sort.flatMap((one) => (one === current ? next : [one])) : [...sort, ...next].slice(-8);
}
