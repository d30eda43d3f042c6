import { conditionsIn, partFilter, sqlOf, stackOfCombinations, type Expr, type Group, type StackOfCombinations } from '@clean-sieve/core';
import type { Database } from './database.ts';
import { nameOf } from './read_rows.ts';
import { declaredOfTable, sqlTable, type DescribedTable } from './tables.ts';

/**
 * The numbers along a stack, counted in the database by one question over the table; null where a condition cannot be decided there alone.
 * The database tells how often each combination of verdicts occurs: they are few, and all numbers are made of them.
 */
export async function stackThere(database: Database, table: DescribedTable, tree: Group): Promise<StackOfCombinations | null> {
  const declared = declaredOfTable(table);
  const there: Expr[] = [];
  for (const { expr } of conditionsIn(tree)) {
    const { asked, here } = partFilter(expr, declared);
    if (here !== null || asked.filter === null) return null;
    there.push(asked.filter);
  }
  const values: unknown[] = [];
  const verdicts = there.map((expr, i) => {
    const sql = sqlOf(expr, sqlTable(table), values.length + 1);
    values.push(...sql.values);
    return `${sql.text} as c${i}`;
  });
  const names = there.map((_, i) => `c${i}`);
  const rows = await database.rows(
    there.length === 0
      ? `select count(*) from ${nameOf(table)}`
      : `select ${names.join(', ')}, count(*) from (select ${verdicts.join(', ')} from ${nameOf(table)}) as verdicts group by ${names.join(', ')}`,
    values,
  );
  const combinations = rows.map((row) => ({
    truths: row.slice(0, -1).map((truth) => (truth === null ? null : truth === 't')),
    count: Number(row.at(-1)),
  }));
  return stackOfCombinations(tree, combinations);
}
