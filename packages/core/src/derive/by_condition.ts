import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS, type Column, type ColumnChunk, type ColumnType } from '../features/column.ts';
import { Dictionary, mergedDictionaries } from '../features/dictionary.ts';
import { emptyMask, has, put, type Mask } from '../features/mask.ts';
import { rangeOf } from '../features/subset.ts';
import { isCall, type Call, type Expr } from '../filters/ast.ts';
import { isTruth, operatorNamed } from '../operators/operator_registry.ts';
import type { Sifter } from '../sifting/sifter.ts';

/**
 * A column that takes, by a condition, one of two others: the condition is decided for all rows at once. Numbers and texts only; null
 * where the expression is of another kind.
 * @param make a column of one of the two
 */
export function byCondition(sifter: Sifter, expr: Expr, name: string, type: ColumnType, make: (branch: Expr) => Column): Column | null {
  const condition = branchedBy(expr);
  if (!condition || !isCall(expr) || (type !== 'number' && type !== 'text')) return null;
  const { yes, possible } = sifter.verdict(condition);
  const { rows } = sifter.table;
  const [first, second] = expr.args.slice(1).map((branch) => constantColumn(branch, rows) ?? make(branch));
  const merged = first.dictionary && second.dictionary ? mergedDictionaries(first.dictionary, second.dictionary) : null;
  const chunks = first.chunks.map((one, c): ColumnChunk => {
    checkpoint();
    const word = (c * CHUNK_ROWS) >>> 5;
    const words = (mask: Mask) => mask.subarray(word, word + ((one.rows + 31) >>> 5));
    return chosen(one, second.chunks[c], words(yes), words(possible), merged?.codes ?? null);
  });
  return { name, type, chunks, dictionary: merged?.dictionary ?? null };
}

/** The condition that chooses between two others in an expression; null where none does. */
export function branchedBy(expr: Expr): Call | null {
  if (!isCall(expr)) return null;
  const evaluation = operatorNamed(expr.op)?.evaluation;
  const [condition] = expr.args;
  return evaluation?.by === 'choice' && evaluation.branches && isCall(condition) && isTruth(condition) ? condition : null;
}

function chosen(first: ColumnChunk, second: ColumnChunk, yes: Mask, possible: Mask, codes: [Uint32Array, Uint32Array] | null): ColumnChunk {
  const { rows } = first;
  const validity = emptyMask(rows);
  let nulls = 0;
  // 1 and 2: which of the two it is of, where that has a value.
  const which = new Uint8Array(rows);
  for (let i = 0; i < rows; i++) {
    const isFirst = has(yes, i);
    const of = isFirst ? first : second;
    if ((!isFirst && has(possible, i)) || (of.validity && !has(of.validity, i))) nulls++;
    else {
      put(validity, i);
      which[i] = isFirst ? 1 : 2;
    }
  }
  const base = { rows, nulls, validity: nulls === 0 ? null : validity };
  if (first.type === 'number' && second.type === 'number') {
    const values = new Float64Array(rows);
    for (let i = 0; i < rows; i++) if (which[i] > 0) values[i] = which[i] === 1 ? first.values[i] : second.values[i];
    return { ...base, type: 'number', values, ...rangeOf(values, base.validity) };
  }
  if (first.type !== 'text' || second.type !== 'text' || !codes) throw new Error('The two are not of one type');
  const out = new Uint32Array(rows);
  for (let i = 0; i < rows; i++) if (which[i] > 0) out[i] = which[i] === 1 ? codes[0][first.codes[i]] : codes[1][second.codes[i]];
  return { ...base, type: 'text', codes: out };
}

/** The same number or text in every row; null for what is none. */
function constantColumn(expr: Expr, rows: number): Column | null {
  if (typeof expr !== 'number' && typeof expr !== 'string') return null;
  const chunks: ColumnChunk[] = [];
  for (let from = 0; from < rows; from += CHUNK_ROWS) {
    const base = { rows: Math.min(CHUNK_ROWS, rows - from), nulls: 0, validity: null };
    chunks.push(
      typeof expr === 'number'
        ? { ...base, type: 'number', values: new Float64Array(base.rows).fill(expr), min: expr, max: expr }
        : { ...base, type: 'text', codes: new Uint32Array(base.rows) },
    );
  }
  return typeof expr === 'number'
    ? { name: '', type: 'number', chunks, dictionary: null }
    : { name: '', type: 'text', chunks, dictionary: Dictionary.of([expr]) };
}
