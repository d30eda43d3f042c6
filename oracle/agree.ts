import { checkFilter, FilterError, has, parseDate, parseFilter, parseFilterJson, printFilter, Sifter, takeRows, type Call, type Expr, type FeatureTable, type Geos } from '@clean-sieve/core'; // prettier-ignore
import { AnyQuestion } from './any_question.ts';
import { NotTold, PlainTruth, type Truth } from './plain_truth.ts';
import type { Random } from './random.ts';
import { anyRecords, firstOf, tableOf, type Records } from './records.ts';
import { anyRelation, spatialAnswers } from './spatial_answers.ts';

export const AS_OF = '2026-11-24';
/** The other geometry library takes too long over more shapes. */
const MOST_IN_SPACE = 1000;

/** A table, questions about it, and what the plain evaluator says to each. */
export interface Case {
  records: Records;
  table: FeatureTable;
  asked: { expr: Expr; text: string; truths: (Truth | undefined)[] }[];
  /** What the plain evaluator says of any part of the filters; undefined where nothing can be told to compare with. */
  truth: (expr: Expr, row: number) => Truth | undefined;
}

/** Makes a table and so many filters of it, and answers them plainly. */
export function anyCase(random: Random, rows: number, questions: number): Case {
  // A column of a table without rows has no type of its own: it keeps the one that it had with rows.
  const some = anyRecords(random, Math.max(rows, 1));
  const records = firstOf(some, rows);
  const table = rows === 0 ? takeRows(tableOf(some), new Uint32Array(0)) : tableOf(records);
  for (const { name, type } of table.columns)
    if (type !== (records.types[name] === 'array' ? 'text' : records.types[name])) throw new Error(`${name} became ${type}`); // prettier-ignore
  const used: Call[] = [];
  const place = () => {
    const relation = anyRelation(random, records);
    used.push(relation);
    return relation;
  };
  const maker = new AnyQuestion(random, records, rows <= MOST_IN_SPACE ? place : null);
  const exprs = Array.from({ length: questions }, () => maker.filter());
  const plain = new PlainTruth(records, AS_OF, spatialAnswers(records, used));
  const asked = exprs.map((expr) => {
    const truths = records.rows.map((_, row) => truthOrNotTold(plain, expr, row));
    return { expr, text: printFilter(expr), truths };
  });
  return { records, table, asked, truth: (expr, row) => truthOrNotTold(plain, expr, row) };
}

/** Undefined where nothing can be told to compare with. */
function truthOrNotTold(plain: PlainTruth, expr: Expr, row: number): Truth | undefined {
  try {
    return plain.truth(expr, row);
  } catch (error) {
    if (error instanceof NotTold) return undefined;
    throw error;
  }
}

/** The first feature on which the engine and the plain evaluator differ, in words; null when there is none. */
export function difference({ records, table, asked }: Case, geos: Geos): string | null {
  const sifter = new Sifter(table, parseDate(AS_OF)!.day, table.crs, geos);
  for (const { expr, text, truths } of asked) {
    const read: Expr[] = [];
    try {
      const parsed = parseFilter(text);
      checkFilter(parsed, table.columns, { projected: records.place.system !== null });
      read.push(parsed.expr, parseFilterJson(JSON.stringify(expr)));
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      return `${text}\n  is refused: ${error.line}`;
    }
    for (const one of read) {
      const { yes, possible } = sifter.verdict(one);
      for (const [row, truth] of truths.entries()) {
        const engine: Truth = has(yes, row) ? true : has(possible, row) ? null : false;
        if (truth !== undefined && engine !== truth)
          return `${text}\n  row ${row} of ${table.rows}: the engine says ${engine}, plainly it is ${truth}\n  ${JSON.stringify(records.rows[row])}\n  ${JSON.stringify(records.shapes[row])}`;
      }
    }
  }
  return null;
}
