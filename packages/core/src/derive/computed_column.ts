import { checkpoint } from '../checkpoint.ts';
import type { Column, ColumnType } from '../features/column.ts';
import { columnNamed } from '../features/table.ts';
import { isProperty, type Expr } from '../filters/ast.ts';
import type { Sifter } from '../sifting/sifter.ts';
import { computedNumbers } from '../sifting/vectors.ts';
import { blankCauses, type BlankCause } from './blank_causes.ts';
import { byCombination } from './by_combination.ts';
import { byCondition } from './by_condition.ts';
import { columnOfNumbers, columnOfValues } from './column_of_values.ts';

/** A column that an expression gives, and why it is blank where it is. */
export interface Computed {
  column: Column;
  blanks: BlankCause[];
}

/**
 * Computes an expression for all rows: numbers in blocks, what hangs on columns of few different values by the combinations of those, a
 * choice by a condition that is decided for all rows at once, the rest row by row.
 * @param expr checked by `typeOfValue`, which has told the type
 */
export function computedColumn(sifter: Sifter, expr: Expr, name: string, type: ColumnType): Computed {
  const column = fastColumn(sifter, expr, name, type) ?? plainColumn(sifter, expr, name, type);
  return { column, blanks: blankCauses(sifter, expr, column) };
}

/** Computes it row by row, whatever it is. */
export function plainColumn(sifter: Sifter, expr: Expr, name: string, type: ColumnType): Column {
  const value = sifter.values(expr);
  return columnOfValues(name, type, sifter.table.rows, (row) => {
    if ((row & 8191) === 0) checkpoint();
    return value(row);
  });
}

function fastColumn(sifter: Sifter, expr: Expr, name: string, type: ColumnType): Column | null {
  if (isProperty(expr)) return ownColumn(sifter, expr.property, name);
  if (type === 'number') {
    const numbers = computedNumbers(sifter.resolve(expr), sifter.measured, sifter.asOf);
    if (numbers) return columnOfNumbers(name, numbers);
  }
  const make = (branch: Expr) => fastColumn(sifter, branch, name, type) ?? plainColumn(sifter, branch, name, type);
  return byCombination(sifter, expr, name, type) ?? byCondition(sifter, expr, name, type, make);
}

function ownColumn({ table }: Sifter, from: string, name: string): Column | null {
  const column = columnNamed(table, from);
  return column ? { ...column, name } : null;
}
