import { emptyTree, type BreakMethod, type BySteps, type ByValues, type Classing } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { firstSteps, firstValues, isByValues, isTwoSided } from './first_style.ts';

/** The values of a column that it is drawn by at first, as the source has them. */
export async function askFirstValues(sourceId: number, of: ColumnInfo): Promise<ByValues> {
  return firstValues(of, await api.aggregate(sourceId, { tree: emptyTree() }, { kind: 'values', column: of.name }));
}

/** The steps of a column that it is drawn by at first, as the source has them. */
export async function askFirstSteps(sourceId: number, of: ColumnInfo): Promise<BySteps> {
  const method: BreakMethod = of.type !== 'number' || isTwoSided(of) ? 'round' : 'natural';
  const bounds = await api.aggregate(sourceId, { tree: emptyTree() }, { kind: 'breaks', column: of.name, method, count: 5 });
  return firstSteps(of, method, bounds);
}

/** The better of both. */
export const askFirstClasses = (sourceId: number, of: ColumnInfo): Promise<Classing> =>
  isByValues(of) ? askFirstValues(sourceId, of) : askFirstSteps(sourceId, of);
