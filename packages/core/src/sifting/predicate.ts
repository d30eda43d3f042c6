import { COMPARISONS, isCall, type Comparison, type Expr } from '../filters/ast.ts';
import { likeMatcher } from '../filters/text_matching.ts';
import {
  arrayOf,
  asTime,
  compare,
  constantOf,
  relateArrays,
  relateTimes,
  scalar,
  type Resolve,
  type Time,
} from './scalar.ts';

/** Truth of one row; null is unknown. */
export type RowPredicate = (row: number) => boolean | null;

/**
 * Row-by-row evaluation of any boolean expression without geometry, in the three-valued logic of the standard. The
 * slow path: what is common runs in kernels; this serves the rest, single features, and texts by dictionary entry.
 */
export function predicate(expr: Expr, resolve: Resolve, asOf: number): RowPredicate {
  if (!isCall(expr)) {
    const value = scalar(expr, resolve, asOf);
    return (row) => value(row) as boolean | null;
  }
  const { op, args } = expr;
  switch (op) {
    case 'and':
      return conjunction(
        args.map((arg) => predicate(arg, resolve, asOf)),
        false,
      );
    case 'or':
      return conjunction(
        args.map((arg) => predicate(arg, resolve, asOf)),
        true,
      );
    case 'not': {
      const inner = predicate(args[0], resolve, asOf);
      return (row) => negate(inner(row));
    }
    case 'isNull': {
      const value = scalar(args[0], resolve, asOf);
      return (row) => value(row) === null;
    }
    case 'between': {
      const [value, low, high] = args.map((arg) => scalar(arg, resolve, asOf));
      return (row) => {
        const subject = value(row);
        return both(compare('>=', subject, low(row)), compare('<=', subject, high(row)));
      };
    }
    case 'in': {
      const value = scalar(args[0], resolve, asOf);
      const items = (args[1] as Expr[]).map((item) => scalar(item, resolve, asOf));
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
      const value = scalar(args[0], resolve, asOf);
      const matches = likeMatcher(constantOf(args[1], asOf) as string);
      return (row) => {
        const text = value(row) as string | null;
        return text === null ? null : matches(text);
      };
    }
  }
  if ((COMPARISONS as readonly string[]).includes(op)) {
    const [left, right] = args.map((arg) => scalar(arg, resolve, asOf));
    return (row) => compare(op as Comparison, left(row), right(row));
  }
  if (op.startsWith('t_')) {
    const [left, right] = args.map((arg) => scalar(asTime(arg), resolve, asOf));
    return (row) => {
      const [a, b] = [left(row), right(row)] as (Time | null)[];
      if (a === null || b === null) return null;
      if (a.vague && b.vague) return relateVague(op, a, b);
      return b.vague ? relateTimes(MIRRORED[op] ?? op, b, a) : relateTimes(op, a, b);
    };
  }
  if (op.startsWith('a_')) {
    const [left, right] = args.map((arg) => scalar(arg, resolve, asOf));
    return (row) => {
      const [a, b] = [arrayOf(left(row)), arrayOf(right(row))];
      return a === null || b === null ? null : relateArrays(op, a, b);
    };
  }
  throw new Error(`Cannot evaluate ${op}`);
}

/** The function that says the same with its arguments exchanged. */
const MIRRORED: Record<string, string> = {
  t_before: 't_after',
  t_after: 't_before',
  t_contains: 't_during',
  t_during: 't_contains',
  t_finishes: 't_finishedBy',
  t_finishedBy: 't_finishes',
  t_meets: 't_metBy',
  t_metBy: 't_meets',
  t_overlaps: 't_overlappedBy',
  t_overlappedBy: 't_overlaps',
  t_starts: 't_startedBy',
  t_startedBy: 't_starts',
};

/** Two days that are each only known to lie in a period: certain only where the periods lie apart. */
function relateVague(op: string, a: Time, b: Time): boolean | null {
  const [before, after] = [a.end <= b.start, a.start >= b.end];
  if (!before && !after) return null;
  return relateTimes(op, { ...a, vague: false }, { ...b, vague: false });
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
