import { emptyTree, type ByValues, type Classing } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { api } from '../../api/client.ts';
import { firstSteps, isByValues, markOf } from '../../style/first_style.ts';

/** More small maps than these are not compared any more; what is in none of them is in one map of the rest. */
const MOST_MAPS = 23;
const FEW_NUMBERS = 24;

const isValued = (column: ColumnInfo) => isByValues(column) || (column.type === 'number' && column.distinct <= FEW_NUMBERS);

/** Columns whose values or steps can be compared in small maps. */
export const mappableOf = (columns: readonly ColumnInfo[]) =>
  columns.filter(({ hidden, distinct, type }) => !hidden && distinct > 0 && (type !== 'text' || distinct <= 5000));

/** At first a text of few values, or a time. */
export const firstMappable = (columns: readonly ColumnInfo[]): ColumnInfo | null => {
  const all = mappableOf(columns);
  const few = all.find(({ type, distinct }) => (type === 'text' || type === 'boolean') && distinct > 1 && distinct <= MOST_MAPS);
  return few ?? all.find(({ type }) => type === 'date' || type === 'datetime') ?? all.at(0) ?? null;
};

/** The classes of a column, a map each: its values, ascending where they are numbers, or steps of it. */
export async function mapClasses(sourceId: number, column: ColumnInfo): Promise<Classing> {
  if (!isValued(column)) {
    const method = column.type === 'number' ? ('natural' as const) : ('round' as const);
    const asked = { kind: 'breaks' as const, column: column.name, method, count: column.type === 'number' ? 6 : 9 };
    return firstSteps(column, method, await api.aggregate(sourceId, { tree: emptyTree() }, asked));
  }
  const counts = await api.aggregate(sourceId, { tree: emptyTree() }, { kind: 'values', column: column.name });
  const values = counts.slice(0, MOST_MAPS).map(({ value }) => value);
  if (column.type === 'number') values.sort((a, b) => Number(a) - Number(b));
  return { kind: 'values', column: column.name, classes: values.map((value, i) => ({ value, mark: markOf(i) })) } satisfies ByValues;
}
