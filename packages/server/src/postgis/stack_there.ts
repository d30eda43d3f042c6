import {
  conditionsIn,
  partFilter,
  sqlOf,
  stackOfCombinations,
  type Combination,
  type Expr,
  type Group,
  type Sql,
  type StackOfCombinations,
} from '@clean-sieve/core';
import type { Database } from './database.ts';
import { decideHere, type DecidingHere } from './decided_here.ts';
import { nameOf } from './read_rows.ts';
import { declaredOfTable, sqlTable, type DescribedTable } from './tables.ts';

/** The numbers of a stack, and how many rows came over to be decided here. */
export interface StackThere extends StackOfCombinations {
  came: number;
}

/**
 * The numbers along a stack, counted in the database by one question over the table. The database tells how often each combination of
 * verdicts occurs: they are few, and all numbers are made of them.
 * @param here decides what the database cannot, before; without it the answer is null where there is such a condition
 * @param among what the database can decide: only rows that are so are counted
 */
export async function stackThere(
  database: Database,
  table: DescribedTable,
  tree: Group,
  here: DecidingHere | null = null,
  among: Expr | null = null,
): Promise<StackThere | null> {
  const conditions = conditionsIn(tree).map(({ expr }) => expr);
  const counted = await combinationsThere(database, table, conditions, { here, narrows: false, among });
  return counted && { ...stackOfCombinations(tree, counted.combinations), came: counted.came };
}

/** What conditions that all have to hold leave, one after the other. */
export interface AlongThere {
  total: number;
  kept: number;
  /** Features for which the whole is unknown. */
  unknown: number;
  /** Of those that the conditions before have left: how many are left after each, and for how many it is unknown. */
  rows: { left: number; unknown: number }[];
  /** Rows that came over to be decided here. */
  came: number;
}

/** The same of conditions that all have to hold, without what each would do alone: of what is left out before, nothing comes over. */
export async function alongThere(
  database: Database,
  table: DescribedTable,
  conditions: readonly Expr[],
  here: DecidingHere,
  among: Expr | null = null,
): Promise<AlongThere | null> {
  const counted = await combinationsThere(database, table, conditions, { here, narrows: true, among });
  if (!counted) return null;
  const { combinations, came } = counted;
  const count = (holds: (truths: Combination['truths']) => boolean) =>
    combinations.reduce((sum, { truths, count: many }) => sum + (holds(truths) ? many : 0), 0);
  const areTrue = (truths: Combination['truths'], n: number) => truths.slice(0, n).every((truth) => truth === true);
  return {
    total: count(() => true),
    kept: count((truths) => areTrue(truths, truths.length)),
    unknown: count((truths) => truths.includes(null) && !truths.includes(false)),
    rows: conditions.map((_, i) => ({
      left: count((truths) => areTrue(truths, i + 1)),
      unknown: count((truths) => areTrue(truths, i) && truths[i] === null),
    })),
    came,
  };
}

/**
 * How often each combination of verdicts on some conditions occurs; null where one cannot be decided.
 * @param narrows whether those after a condition that fails matter no more
 * @param among the rows that are counted
 */
async function combinationsThere(
  database: Database,
  table: DescribedTable,
  conditions: readonly Expr[],
  { here, narrows, among }: { here: DecidingHere | null; narrows: boolean; among: Expr | null },
): Promise<{ combinations: Combination[]; came: number } | null> {
  const declared = declaredOfTable(table);
  const verdicts: Sql[] = [];
  const before: Expr[] = among === null ? [] : [among];
  let [values, came] = [0, 0];
  for (const expr of conditions) {
    const { asked, here: rest } = partFilter(expr, declared);
    if (rest === null && asked.filter !== null) {
      verdicts.push(sqlOf(asked.filter, sqlTable(table), values + 1));
      if (narrows) before.push(asked.filter);
    } else {
      const decided = here && (await decideHere(database, table, expr, before, values + 1, here));
      if (!decided) return null;
      verdicts.push(decided);
      came += decided.came;
    }
    values += verdicts.at(-1)!.values.length;
  }
  const names = verdicts.map((_, i) => `c${i}`);
  const told = verdicts.map(({ text }, i) => `${text} as c${i}`);
  here?.tell(0, 'Counting');
  const counted = among === null ? { text: 'true', values: [] } : sqlOf(among, sqlTable(table), values + 1);
  const from = `from ${nameOf(table)} where ${counted.text}`;
  const rows = await database.rows(
    verdicts.length === 0
      ? `select count(*) ${from}`
      : `select ${names.join(', ')}, count(*) from (select ${told.join(', ')} ${from}) as verdicts group by ${names.join(', ')}`,
    [...verdicts, counted].flatMap((one) => one.values),
  );
  const combinations = rows.map((row) => ({
    truths: row.slice(0, -1).map((truth) => (truth === null ? null : truth === 't')),
    count: Number(row.at(-1)),
  }));
  return { combinations, came };
}
