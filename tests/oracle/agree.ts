import {
  call,
  checkFilter,
  FilterError,
  has,
  parseDate,
  parseFilter,
  parseFilterJson,
  printFilter,
  Sifter,
  takeRows,
  type Call,
  type Expr,
  type FeatureTable,
  type Geos,
} from '@clean-sieve/core';
import { AnyQuestion } from './any_question.ts';
import { NotTold, PlainTruth, type Truth } from './plain_truth.ts';
import type { Random } from './random_lists.ts';
import { anyRecords, firstOf, tableOf, type Records } from './records.ts';
import { anyOperands, engineOperands, NAMES, type OtherOperands } from './other_layers.ts';
import { AnyRelation, spatialAnswers } from './spatial_answers.ts';

export const AS_OF = '2026-11-24';
/** Of more shapes than this, the other geometry library is asked few things only. */
const MANY_IN_SPACE = 1000;
const RELATIONS_OF_MANY = 3;
/** Sources and sieves are asked about in small tables. */
const MOST_WITH_LAYERS = 243;

/** A table, questions about it, and what the plain evaluator says to each. */
export interface Case {
  records: Records;
  table: FeatureTable;
  /** What the filters can name beside the columns; null for nothing. */
  operands: OtherOperands | null;
  asked: { expr: Expr; text: string; truths: (Truth | undefined)[] }[];
  /** What the plain evaluator says of any part of the filters; undefined where nothing can be told to compare with. */
  truth: (expr: Expr, row: number) => Truth | undefined;
}

/**
 * Makes a table and so many filters of it, and answers them plainly.
 * @param withLayers whether the filters may speak of other sources and of sieves
 */
export function anyCase(random: Random, rows: number, questions: number, withLayers: boolean): Case {
  // A column of a table without rows has no type of its own: it keeps the one that it had with rows.
  const some = anyRecords(random, Math.max(rows, 1));
  const records = firstOf(some, rows);
  const table = rows === 0 ? takeRows(tableOf(some), new Uint32Array(0)) : tableOf(records);
  for (const { name, type } of table.columns)
    if (type !== (records.types[name] === 'array' ? 'text' : records.types[name])) throw new Error(`${name} became ${type}`);
  const operands = withLayers && rows <= MOST_WITH_LAYERS ? layersOf(random, records) : null;
  const used: Call[] = [];
  const relations = new AnyRelation(random, records, operands, rows > MANY_IN_SPACE);
  const place = () => {
    if (operands && random.chance(0.15)) return call('KEPT_BY', call('SIEVE', 'mine'));
    const spent = rows > MANY_IN_SPACE && used.length >= RELATIONS_OF_MANY;
    const relation = spent ? random.pick(used) : relations.next();
    used.push(relation);
    return relation;
  };
  const maker = new AnyQuestion(random, records, place);
  const exprs = Array.from({ length: questions }, () => maker.filter());
  const plain = new PlainTruth(records, AS_OF, spatialAnswers(records, used, operands), operands?.mine ?? null);
  const asked = exprs.map((expr) => {
    const truths = records.rows.map((_, row) => truthOrNotTold(plain, expr, row));
    return { expr, text: printFilter(expr), truths };
  });
  return { records, table, operands, asked, truth: (expr, row) => truthOrNotTold(plain, expr, row) };
}

/** Another source, and sieves of it and of the table itself. */
function layersOf(random: Random, records: Records): OtherOperands {
  const mine = new AnyQuestion(random, records, null).filter();
  const plain = new PlainTruth(records, AS_OF, () => null, null);
  return anyOperands(
    random,
    records,
    records.rows.map((_, row) => plain.truth(mine, row) === true),
  );
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
export function difference({ records, table, operands, asked }: Case, geos: Geos): string | null {
  const sifter = new Sifter(table, parseDate(AS_OF)!.day, table.crs, geos);
  if (operands) sifter.operands = engineOperands(operands, table, records);
  for (const { expr, text, truths } of asked) {
    const read: Expr[] = [];
    try {
      const parsed = parseFilter(text);
      checkFilter(parsed, table.columns, { projected: records.place.system !== null, operands: NAMES });
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
