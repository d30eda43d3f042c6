import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS, type Column } from '../features/column.ts';
import { and, andNot, count, emptyMask, invertRows, put, rowsOf, type Mask } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import { isCall, isProperty, type Call, type Expr } from '../filters/ast.ts';
import { compare } from '../operators/compare.ts';
import { operatorNamed, textName } from '../operators/operator_registry.ts';
import { plainText } from '../operators/plain_value.ts';
import type { Scalar } from '../operators/scalar.ts';
import type { Sifter } from '../sifting/sifter.ts';
import { computedNumbers } from '../sifting/vectors.ts';
import { branchedBy } from './by_condition.ts';

/** Why a computed value is blank, with how many rows and some of the values that it is about. */
export interface BlankCause {
  reason: string;
  rows: number;
  /** It could not be computed, where otherwise something is blank itself. */
  failed: boolean;
  /** Values that no value could be made of, each with the first row that has it. */
  examples: { value: string; row: number }[];
}

/** Different values told of one reason. */
const MOST_EXAMPLES = 5;

/**
 * Why a computed column is blank where it is, what is most frequent first: told for all rows at once as far as what it is computed of is
 * columns and numbers, the rest row by row.
 */
export function blankCauses(sifter: Sifter, expr: Expr, column: Column): BlankCause[] {
  const telling = new Telling(sifter);
  telling.tell(expr, blankRows(column, sifter.table.rows));
  return telling.causes;
}

class Telling {
  readonly #sifter: Sifter;
  readonly #causes = new Map<string, BlankCause>();

  constructor(sifter: Sifter) {
    this.#sifter = sifter;
  }

  get causes(): BlankCause[] {
    return [...this.#causes.values()].sort((a, b) => b.rows - a.rows);
  }

  /** @param blank rows in which the expression has no value */
  tell(expr: Expr, blank: Mask): void {
    const many = count(blank);
    if (many === 0) return;
    if (isProperty(expr)) {
      this.#cause(blankReason(expr.property), false).rows += many;
      return;
    }
    const condition = branchedBy(expr);
    if (condition && isCall(expr)) {
      const { yes, possible } = this.#sifter.verdict(condition);
      this.tell(condition, and(blank, andNot(possible, yes)));
      this.tell(expr.args[1], and(blank, yes));
      this.tell(expr.args[2], andNot(blank, possible));
      return;
    }
    const by = isCall(expr) ? operatorNamed(expr.op)?.evaluation.by : undefined;
    if (!isCall(expr) || (by !== 'value' && by !== 'comparison')) return this.#rowByRow(expr, blank);
    let left = blank;
    for (const arg of expr.args) {
      const own = this.#blankIn(arg);
      if (own === null) return this.#rowByRow(expr, left);
      const hit = and(left, own);
      this.tell(arg, hit);
      left = andNot(left, hit);
    }
    this.#failed(expr, left);
  }

  /** Rows in which an argument has no value; null where that is not told for all at once. */
  #blankIn(arg: Expr): Mask | null {
    const { table, measured, asOf } = this.#sifter;
    if (isProperty(arg)) return blankRows(columnNamed(table, arg.property)!, table.rows);
    if (Array.isArray(arg)) return null;
    if (!isCall(arg)) return emptyMask(table.rows);
    const numbers = computedNumbers(this.#sifter.resolve(arg), measured, asOf);
    if (!numbers) return null;
    const out = emptyMask(table.rows);
    for (let row = 0; row < numbers.length; row++) if (Number.isNaN(numbers[row])) put(out, row);
    return out;
  }

  /** All that it is given is there in these rows. */
  #failed(call: Call, rows: Mask): void {
    const many = count(rows);
    if (many === 0) return;
    const cause = this.#cause(failure(call), true);
    cause.rows += many;
    const first = this.#sifter.values(call.args[0]);
    for (const row of rowsOf(rows)) {
      if (cause.examples.length >= MOST_EXAMPLES) break;
      this.#example(cause, first(row), row);
    }
  }

  #rowByRow(expr: Expr, rows: Mask): void {
    const causeOf = causeFinder(this.#sifter, expr);
    let steps = 0;
    for (const row of rowsOf(rows)) {
      if ((++steps & 8191) === 0) checkpoint();
      const { reason, failed, value } = causeOf(row);
      const cause = this.#cause(reason, failed);
      cause.rows++;
      this.#example(cause, value, row);
    }
  }

  #cause(reason: string, failed: boolean): BlankCause {
    let cause = this.#causes.get(reason);
    if (!cause) this.#causes.set(reason, (cause = { reason, failed, rows: 0, examples: [] }));
    return cause;
  }

  #example({ examples }: BlankCause, value: Scalar | null, row: number): void {
    if (value === null || examples.length >= MOST_EXAMPLES) return;
    const text = plainText(value);
    if (!examples.some((one) => one.value === text)) examples.push({ value: text, row });
  }
}

const blankReason = (name: string): string => `${name} is blank`;

/** Why a call has no value where all that it is given is there. */
function failure({ op }: Call): string {
  const operator = operatorNamed(op)!;
  return `${textName(operator)}: what it is given ${operator.fails ?? 'cannot be computed'}`;
}

function blankRows({ chunks }: Column, rows: number): Mask {
  const out = emptyMask(rows);
  chunks.forEach(({ validity, rows: own }, c) => {
    if (!validity) return;
    const word = (c * CHUNK_ROWS) >>> 5;
    out.set(validity.subarray(0, (own + 31) >>> 5), word);
    invertRows(out, word, own);
  });
  return out;
}

interface Cause {
  reason: string;
  failed: boolean;
  value: Scalar | null;
}

/** Finds why the expression has no value in a row: the innermost part that has none where all that it is given is there. */
export function causeFinder(sifter: Sifter, expr: Expr): (row: number) => Cause {
  const value = sifter.values(expr);
  if (isProperty(expr)) return () => ({ reason: blankReason(expr.property), failed: false, value: null });
  if (!isCall(expr)) return () => ({ reason: 'it is blank', failed: false, value: null });
  const operator = operatorNamed(expr.op)!;
  if (operator.evaluation.by === 'shape') {
    const reason = operator.evaluation.system?.(expr.args) ? `the feature ${operator.fails}` : 'the feature has no geometry';
    return () => ({ reason, failed: false, value: null });
  }
  const given = expr.args.filter((arg) => !Array.isArray(arg));
  const parts = given.map((arg) => ({ value: sifter.values(arg), cause: causeFinder(sifter, arg) }));
  const chooses = operator.evaluation.by === 'choice';
  return (row) => {
    // A choice may well be given what is blank: only what it depends on, or would have given, counts.
    const blank = chooses ? chosenBlank(expr.op, parts, row) : parts.find((part) => part.value(row) === null);
    if (blank) return blank.cause(row);
    if (value(row) !== null) throw new Error('There is a value');
    return { reason: failure(expr), failed: true, value: parts.length === 0 ? null : parts[0].value(row) };
  };
}

type Part = { value: (row: number) => Scalar | null; cause: (row: number) => Cause };

function chosenBlank(op: string, parts: readonly Part[], row: number): Part | undefined {
  const [first, second, third] = parts;
  const value = first.value(row);
  if (op === 'IF') return value === null ? first : value === true ? second : third;
  if (op === 'COALESCE') return parts[parts.length - 1];
  if (value === null) return first;
  // Of a list the result beside the value that it has, or the one for all others.
  const list = parts.slice(1);
  for (let i = 0; i + 1 < list.length; i += 2) if (compare('=', value, list[i].value(row))) return list[i + 1];
  return list.length % 2 === 1 ? list[list.length - 1] : undefined;
}
