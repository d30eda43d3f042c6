import { freeName, type SeveralRows } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** A column that is taken from another source: what it is called here, and what becomes of several rows. */
export interface TakenColumn {
  /** The column of the other source; null for what is told of its rows: how many there are, or how far the nearest is. */
  column: string | null;
  name: string;
  several: Exclude<SeveralRows, 'refuse'>;
}

/** The same with or without a column. @param wanted what it is to be called; it gets a number behind it where that is taken */
export function withColumn(
  taken: readonly TakenColumn[],
  column: string | null,
  on: boolean,
  wanted: string,
  own: readonly ColumnInfo[],
): TakenColumn[] {
  const rest = taken.filter((one) => one.column !== column);
  if (!on) return rest;
  const names = new Set([...own.map(({ name }) => name), ...rest.map(({ name }) => name)]);
  return [...rest, { column, name: freeName(wanted, names), several: column === null ? 'count' : 'first' }];
}

/** What is wrong with the name of a taken column; empty where nothing is. */
export function problemOf(one: TakenColumn, taken: readonly TakenColumn[], own: readonly ColumnInfo[]): string {
  const name = one.name.trim();
  if (name === '') return 'needs a name';
  const isTwice = taken.some((other) => other !== one && other.name.trim() === name);
  return isTwice || name === 'geometry' || own.some((column) => column.name === name) ? 'is there already' : '';
}

/** How several rows of a column can be brought together. */
export function waysOf({ type }: ColumnInfo): TakenColumn['several'][] {
  if (type === 'number') return ['first', 'sum', 'mean', 'min', 'max'];
  return type === 'date' || type === 'datetime' ? ['first', 'min', 'max'] : ['first'];
}
