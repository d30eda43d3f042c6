import { COMPARISONS, GEOMETRY_NAME, isCall, isProperty, type Call, type Comparison, type Expr } from '../filters/ast.ts';
import { likeMatcher } from '../filters/text_matching.ts';
import type { Members } from '../operators/arrays.ts';
import { compare, relateTimes } from '../operators/compare.ts';
import { isTruth, operatorNamed } from '../operators/operator_registry.ts';
import type { Time } from '../operators/scalar.ts';
import { arrayOf, asTime, constantOf, membersOf, scalar, type Accessor, type Resolve, type TruthOf } from './accessor.ts';

/** Truth of one row; null is unknown. */
export type RowPredicate = (row: number) => boolean | null;

/**
 * Row-by-row evaluation of any boolean expression, in the three-valued logic of the standard. The slow path: what is
 * common runs in kernels; this serves the rest, single features, and texts by dictionary entry.
 * @param whole answers what is evaluated for all rows at once: relations in space, COULD_BE and KEPT_BY
 */
export function predicate(expr: Expr, resolve: Resolve, asOf: number, whole: TruthOf): RowPredicate {
  const truthOf = (part: Expr) => predicate(part, resolve, asOf, whole);
  const valueOf = (part: Expr) => scalar(part, resolve, asOf, truthOf);
  if (!isCall(expr) || !isTruth(expr)) {
    const value = valueOf(expr);
    return (row) => {
      const truth = value(row);
      if (truth === null || typeof truth === 'boolean') return truth;
      throw new Error('Not a boolean expression');
    };
  }
  const { op, args } = expr;
  if (isWhole(expr)) return whole(expr);
  switch (op) {
    case 'and':
      return conjunction(args.map(truthOf), false);
    case 'or':
      return conjunction(args.map(truthOf), true);
    case 'not': {
      const inner = truthOf(args[0]);
      return (row) => negate(inner(row));
    }
    case 'isNull': {
      const value = valueOf(args[0]);
      return (row) => value(row) === null;
    }
    case 'between': {
      const [value, low, high] = args.map(valueOf);
      return (row) => {
        const subject = value(row);
        return both(compare('>=', subject, low(row)), compare('<=', subject, high(row)));
      };
    }
    case 'in': {
      const value = valueOf(args[0]);
      const items = (args[1] as Expr[]).map(valueOf);
      return (row) => {
        const subject = value(row);
        let unknown = false;
        for (const item of items) {
          const equal = compare('=', subject, item(row));
          if (equal) return true;
          if (equal === null) unknown = true;
        }
        return unknown ? null : false;
      };
    }
    case 'like': {
      const value = valueOf(args[0]);
      const matches = likeMatcher(constantOf(args[1], asOf) as string);
      return (row) => {
        const text = value(row) as string | null;
        return text === null ? null : matches(text);
      };
    }
  }
  if ((COMPARISONS as readonly string[]).includes(op)) {
    const [left, right] = args.map(valueOf);
    return (row) => compare(op as Comparison, left(row), right(row));
  }
  const evaluation = operatorNamed(op)?.evaluation;
  if (evaluation?.by === 'times') {
    const [left, right] = args.map((arg) => valueOf(asTime(arg)));
    return (row) => {
      const [a, b] = [left(row), right(row)] as (Time | null)[];
      return a === null || b === null ? null : relateTimes(evaluation.relate, a, b);
    };
  }
  if (evaluation?.by === 'arrays') {
    const [left, right] = args.map((arg) => members(valueOf(arg), Array.isArray(arg) && arg.every((item) => typeof item !== 'object')));
    return (row) => {
      const [a, b] = [left(row), right(row)];
      return a === null || b === null ? null : evaluation.relate(a, b);
    };
  }
  throw new Error(`Cannot evaluate ${op}`);
}

/** The members of an array a row; of a list that is the same for all rows, and of the same text, found once. */
function members(value: Accessor, isConstant: boolean): (row: number) => Members | null {
  let known: Members | null | undefined;
  let last: { text: string; found: Members | null } | null = null;
  return (row) => {
    if (isConstant && known !== undefined) return known;
    const cell = value(row);
    if (typeof cell === 'string' && last?.text === cell) return last.found;
    const array = arrayOf(cell);
    const found = array && membersOf(array);
    if (typeof cell === 'string') last = { text: cell, found };
    if (isConstant) known = found;
    return found;
  };
}

/** Whether a call is decided for all rows at once, rather than for one: relations in space, COULD_BE, KEPT_BY, a missing geometry. */
export function isWhole({ op, args }: Call): boolean {
  if (op === 'isNull') return isProperty(args[0]) && args[0].property === GEOMETRY_NAME;
  const by = operatorNamed(op)?.evaluation.by;
  return by === 'verdict' || by === 'space';
}

function conjunction(parts: RowPredicate[], settles: boolean): RowPredicate {
  return (row) => {
    let unknown = false;
    for (const part of parts) {
      const outcome = part(row);
      if (outcome === settles) return settles;
      if (outcome === null) unknown = true;
    }
    return unknown ? null : !settles;
  };
}

function both(a: boolean | null, b: boolean | null): boolean | null {
  if (a === false || b === false) return false;
  return a === null || b === null ? null : true;
}

function negate(value: boolean | null): boolean | null {
  return value === null ? null : !value;
}
