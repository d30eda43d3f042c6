import {
  checkFilter,
  FilterError,
  parseFilter,
  partFilter,
  printFilter,
  ReadError,
  withShapes,
  type AreaShapes,
  type Asked,
  type ColumnSchema,
  type Declared,
  type Expr,
} from '@clean-sieve/core';
import type { ServiceLook } from '../api/contract.ts';

export const NOTHING: Asked = { filter: null, bbox: null, datetime: null, values: [] };

/** A filter as it is asked and decided. */
export interface Meant {
  expr: Expr | null;
  asked: Asked;
  conditions: ServiceLook['conditions'];
}

/** Reads a filter about columns. Throws a FilterError for one that does not fit them. */
export function meantBy(filter: string | null, columns: readonly ColumnSchema[], areas: AreaShapes, declared: Declared): Meant {
  if (filter === null || filter.trim() === '') return { expr: null, asked: NOTHING, conditions: [] };
  const parsed = parseFilter(filter);
  checkFilter(parsed, columns, { areas });
  const parted = partFilter(withShapes(parsed.expr, areas), declared);
  return {
    expr: withShapes(parsed.expr, areas),
    asked: parted.asked,
    conditions: parted.conditions.map(({ expr, by }) => ({ text: printFilter(expr), by })),
  };
}

/** The same of a filter that has to fit. Throws a ReadError. */
export function fitting(...args: Parameters<typeof meantBy>): Meant {
  try {
    return meantBy(...args);
  } catch (error) {
    if (error instanceof FilterError) throw new ReadError(error.line.replace(/\.$/, ''));
    throw error;
  }
}
