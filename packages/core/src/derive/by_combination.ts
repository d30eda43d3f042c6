import { checkpoint } from '../checkpoint.ts';
import type { Column, ColumnChunk, ColumnType } from '../features/column.ts';
import { compareCodePoints, Dictionary } from '../features/dictionary.ts';
import { emptyMask, has, put } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import { isCall, propertiesIn, type Expr } from '../filters/ast.ts';
import { isTruth, operatorNamed } from '../operators/operator_registry.ts';
import type { Scalar } from '../operators/scalar.ts';
import { isWhole } from '../sifting/predicate.ts';
import type { Sifter } from '../sifting/sifter.ts';
import { columnOfValues } from './column_of_values.ts';

/** So many combinations of values are told apart. */
const MOST = 1 << 20;

/** Columns of few different values, as one number for each combination of them. */
interface Combinations {
  columns: Column[];
  /** The blank is one value more of each. */
  sizes: number[];
  many: number;
}

/**
 * A column that hangs on columns of few different values alone: each combination of those is computed once. Null where the expression
 * hangs on others, or on more than the values.
 */
export function byCombination(sifter: Sifter, expr: Expr, name: string, type: ColumnType): Column | null {
  const of = combinationsOf(sifter, expr);
  if (!of) return null;
  const { columns, sizes, many } = of;
  const { rows } = sifter.table;
  // What is read of a combination is the value of the column in it.
  const strides = sizes.map((_, i) => sizes.slice(0, i).reduce((a, b) => a * b, 1));
  const value = sifter.values(expr, (wanted) => {
    const i = columns.findIndex((column) => column.name === wanted);
    const read = valueOfCode(columns[i]);
    return (combination) => read(Math.floor(combination / strides[i]) % sizes[i]);
  });
  const combinations = combinationChunks(columns, sizes, strides);
  if (type === 'text') return ofTexts(name, columns[0].chunks, combinations, many, value);
  const known: (Scalar | null | undefined)[] = [];
  let [chunk, start] = [0, 0];
  return columnOfValues(name, type, rows, (row) => {
    while (row - start >= combinations[chunk].length) start += combinations[chunk++].length;
    const combination = combinations[chunk][row - start];
    // One that gives no value is asked once too.
    if (known[combination] === undefined) known[combination] = value(combination);
    return known[combination];
  });
}

function combinationsOf({ table }: Sifter, expr: Expr): Combinations | null {
  if (hangsOnMore(expr)) return null;
  const columns = propertiesIn(expr).map((name) => columnNamed(table, name));
  if (columns.length === 0 || columns.some((column) => column?.type !== 'text' && column?.type !== 'boolean')) return null;
  const sizes = columns.map((column) => (column!.dictionary?.size ?? 2) + 1);
  const many = sizes.reduce((a, b) => a * b, 1);
  return many > MOST ? null : { columns: columns.map((column) => column!), sizes, many };
}

/** Whether it hangs on more than the values of a row: on the shape, on what is told of all rows at once, or on a condition. */
function hangsOnMore(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.some(hangsOnMore);
  if (!isCall(expr)) return false;
  const by = operatorNamed(expr.op)?.evaluation.by;
  return isTruth(expr) || isWhole(expr) || by === 'shape' || by === 'space' || by === 'verdict' || expr.args.some(hangsOnMore);
}

/** The value that a code stands for: the last is the blank. */
function valueOfCode({ dictionary }: Column): (code: number) => Scalar | null {
  if (!dictionary) return (code) => (code === 2 ? null : code === 1);
  return (code) => (code === dictionary.size ? null : dictionary.at(code));
}

/** The combination of each row, chunk by chunk. */
function combinationChunks(columns: readonly Column[], sizes: readonly number[], strides: readonly number[]): Uint32Array[] {
  return columns[0].chunks.map(({ rows }, c) => {
    checkpoint();
    const out = new Uint32Array(rows);
    for (const [k, column] of columns.entries()) {
      const chunk = column.chunks[c];
      const [stride, blank, { validity }] = [strides[k], sizes[k] - 1, chunk];
      if (chunk.type === 'text') {
        const { codes } = chunk;
        for (let i = 0; i < rows; i++) out[i] += stride * (validity && !has(validity, i) ? blank : codes[i]);
      } else if (chunk.type === 'boolean')
        for (let i = 0; i < rows; i++) out[i] += stride * (validity && !has(validity, i) ? blank : has(chunk.values, i) ? 1 : 0);
    }
    return out;
  });
}

const UNKNOWN = -2;
const BLANK = -1;

/** Texts of combinations: each once, numbered by their order at the end. */
function ofTexts(
  name: string,
  sources: readonly ColumnChunk[],
  combinations: readonly Uint32Array[],
  many: number,
  value: (combination: number) => Scalar | null,
): Column {
  const numberOf = new Int32Array(many).fill(UNKNOWN);
  const numbers = new Map<string, number>();
  for (const chunk of combinations) {
    checkpoint();
    for (let i = 0; i < chunk.length; i++) {
      const combination = chunk[i];
      if (numberOf[combination] !== UNKNOWN) continue;
      const text = value(combination);
      if (text === null) numberOf[combination] = BLANK;
      else if (typeof text !== 'string') throw new Error('A value of another type than text');
      else {
        let number = numbers.get(text);
        if (number === undefined) numbers.set(text, (number = numbers.size));
        numberOf[combination] = number;
      }
    }
  }
  const texts = [...numbers.keys()].sort(compareCodePoints);
  const rank = new Uint32Array(texts.length);
  texts.forEach((text, i) => (rank[numbers.get(text)!] = i));
  const chunks = sources.map(({ rows }, c): ColumnChunk => {
    const [codes, validity] = [new Uint32Array(rows), emptyMask(rows)];
    const own = combinations[c];
    let nulls = 0;
    for (let i = 0; i < rows; i++) {
      const number = numberOf[own[i]];
      if (number === BLANK) nulls++;
      else {
        codes[i] = rank[number];
        put(validity, i);
      }
    }
    return { type: 'text', rows, nulls, validity: nulls === 0 ? null : validity, codes };
  });
  return { name, type: 'text', chunks, dictionary: Dictionary.of(texts) };
}
