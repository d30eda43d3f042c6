import type { Call, Expr } from '@clean-sieve/core';
import type { Cell, Records } from './records.ts';
import { COMPARE, dayOf, isPart, meanings, momentOf, movedDay, partOf, RELATE, type Span } from './plain_time.ts';

/**
 * The whole filter language, one feature at a time, in the three-valued logic of OGC 21-065r2: a second implementation for
 * comparison, which shares no code with the engine. Slow and plain on purpose.
 */
export type Truth = boolean | null;
/** What a shape has to do with a place, answered by another geometry library. */
export type Spatial = (call: Call, row: number) => Truth;

/** Thrown where the other library is not sure enough to be compared with. */
export class NotTold extends Error {}

type Thing = number | string | boolean | null | { spans: Span[] } | { list: unknown[] };

const isSpans = (thing: Thing): thing is { spans: Span[] } => typeof thing === 'object' && thing !== null && 'spans' in thing;

export class PlainTruth {
  readonly #records: Records;
  readonly #asOf: string;
  readonly #spatial: Spatial;
  readonly #mine: boolean[] | null;

  /** @param mine which features the one sieve of the same source that filters name keeps */
  constructor(records: Records, asOf: string, spatial: Spatial, mine: boolean[] | null) {
    this.#records = records;
    this.#asOf = asOf;
    this.#spatial = spatial;
    this.#mine = mine;
  }

  truth(expr: Expr, row: number): Truth {
    if (typeof expr === 'boolean') return expr;
    if (typeof expr === 'object' && 'property' in expr) return this.#cell(expr.property, row) as Truth;
    const { op, args } = expr as Call;
    const each = () => args.map((arg) => this.truth(arg, row));
    if (op === 'and') return each().includes(false) ? false : each().includes(null) ? null : true;
    if (op === 'or') return each().includes(true) ? true : each().includes(null) ? null : false;
    if (op === 'not') {
      const inner = this.truth(args[0], row);
      return inner === null ? null : !inner;
    }
    if (op === 'isNull') return this.#isNull(args[0], row);
    if (op === 'KEPT_BY') return this.#mine![row];
    if (op === 'COULD_BE') return this.#couldBe(args[0], row, true);
    if (op.toLowerCase().startsWith('s_')) return this.#records.shapes[row] === null ? null : this.#spatial(expr as Call, row);
    if (op === 'between')
      return this.truth(
        {
          op: 'and',
          args: [
            { op: '>=', args: [args[0], args[1]] },
            { op: '<=', args: [args[0], args[2]] },
          ],
        },
        row,
      );
    if (op === 'in') {
      const all = (args[1] as Expr[]).map((item) => this.truth({ op: '=', args: [args[0], item] }, row));
      return all.includes(true) ? true : all.includes(null) ? null : false;
    }
    const [a, b] = args.map((arg) => this.#thing(arg, row, op.startsWith('t_')));
    if (a === null || b === null) return null;
    if (op === 'like') return isLike([...(a as string)], patternOf(b as string));
    if (op in RELATE) return agreed((a as { spans: Span[] }).spans, (b as { spans: Span[] }).spans, RELATE[op]);
    if (op.startsWith('a_')) return relateLists(op, a, b);
    if (isSpans(a) || isSpans(b)) return agreed(spansOf(a), spansOf(b), COMPARE[op]);
    return compare(op, a as number | string | boolean, b as number | string | boolean);
  }

  #isNull(expr: Expr, row: number): boolean {
    if (typeof expr === 'object' && 'property' in expr && expr.property === 'geometry') return this.#records.shapes[row] === null;
    if (typeof expr === 'object' && 'op' in expr && isTest(expr.op)) return this.truth(expr, row) === null;
    return this.#thing(expr, row, false) === null;
  }

  /** Every test takes its vague dates as suits it best; what is blank stays unknown. */
  #couldBe(expr: Expr, row: number, wanted: boolean): Truth {
    if (typeof expr === 'object' && 'op' in expr) {
      const { op, args } = expr;
      if (op === 'not') return this.#couldBe(args[0], row, !wanted);
      if (op === 'and' || op === 'or') {
        const parts = args.map((arg) => this.#couldBe(arg, row, wanted));
        const settles = (op === 'or') === wanted;
        return parts.includes(settles) ? settles : parts.includes(null) ? null : !settles;
      }
    }
    const plain = this.truth(expr, row);
    if (plain !== null) return plain === wanted;
    const cells = columnsOf(expr).map((name) => [this.#records.types[name], this.#cell(name, row)] as const);
    if (cells.some(([, cell]) => cell === null)) return null;
    return cells.some(([kind, cell]) => kind === 'date' && (cell as string).length < 10) ? true : null;
  }

  #cell(name: string, row: number): Cell {
    const value = this.#records.rows[row][name];
    // An empty text is a value of a text column and a missing one of any other.
    return value === '' && this.#records.types[name] !== 'text' ? null : value;
  }

  #thing(expr: Expr, row: number, asTime: boolean): Thing {
    if (typeof expr === 'string') return asTime ? { spans: meanings(expr) } : expr;
    if (typeof expr === 'number' || typeof expr === 'boolean') return expr;
    if (Array.isArray(expr)) return { list: expr.map((item) => this.#thing(item, row, false)) };
    if ('date' in expr) return { spans: [dayOf(expr.date)] };
    if ('timestamp' in expr) return { spans: [momentOf(expr.timestamp)] };
    if ('interval' in expr) return this.#interval(expr.interval, row);
    if ('property' in expr) {
      const cell = this.#cell(expr.property, row);
      const kind = this.#records.types[expr.property];
      return cell !== null && (kind === 'date' || kind === 'datetime') ? { spans: meanings(cell as string) } : cell;
    }
    const { op, args } = expr as Call;
    if (isTest(op)) return this.truth(expr, row);
    if (op === 'AS_OF')
      return { spans: [dayOf(args.length === 0 ? this.#asOf : movedDay(this.#asOf, args[0] as number, args[1] as string))] };
    if (op === 'LAST' || op === 'NEXT') {
      const far = dayOf(movedDay(this.#asOf, (op === 'LAST' ? -1 : 1) * (args[0] as number), args[1] as string));
      const now = dayOf(this.#asOf);
      return { spans: [op === 'LAST' ? { from: far.to, to: now.to, unit: far.unit } : { from: now.to, to: far.to, unit: far.unit }] };
    }
    const values = args.map((arg) => this.#thing(arg, row, isPart(op)));
    if (values.includes(null)) return null;
    if (isPart(op)) return partOf(op, (values[0] as { spans: Span[] }).spans);
    if (op === 'CODEPOINTS') return values.map((code) => String.fromCodePoint(code as number)).join('');
    if (op === 'casei') return folded(values[0] as string);
    if (op === 'accenti')
      return [...(values[0] as string).normalize('NFD')]
        .filter((c) => !/\p{M}/u.test(c))
        .join('')
        .normalize('NFC');
    const result = calculate(op, values[0] as number, values[1] as number);
    return Number.isFinite(result) ? result : null;
  }

  #interval(ends: readonly [Expr, Expr], row: number): Thing {
    const [from, to] = ends.map((end) => (end === '..' ? '..' : this.#thing(end, row, true)));
    if (from === null || to === null) return null;
    const starts = from === '..' ? [-Infinity] : (from as { spans: Span[] }).spans.map((span) => span.from);
    const stops = to === '..' ? [{ from: 0, to: Infinity, unit: 1 }] : (to as { spans: Span[] }).spans;
    const all = starts.flatMap((start) => stops.map((stop): Span => ({ from: start, to: stop.to, unit: stop.unit })));
    const forward = all.filter((span) => span.from < span.to);
    return { spans: forward.length > 0 ? forward : all };
  }
}

const isTest = (op: string) =>
  ['and', 'or', 'not', 'isNull', 'like', 'between', 'in', 'COULD_BE', 'KEPT_BY', '=', '<>', '<', '<=', '>', '>='].includes(op) ||
  (/^[ast]_/i.test(op) && op !== 'AS_OF');

function agreed(a: Span[], b: Span[], test: (x: Span, y: Span) => boolean): Truth {
  const first = test(a[0], b[0]);
  return a.every((x) => b.every((y) => test(x, y) === first)) ? first : null;
}

function spansOf(thing: Thing): Span[] {
  return isSpans(thing) ? thing.spans : meanings(thing as string);
}

function compare(op: string, a: number | string | boolean, b: number | string | boolean): boolean {
  const order = typeof a === 'string' ? codePointOrder(a, b as string) : Number(a) < Number(b) ? -1 : Number(a) > Number(b) ? 1 : 0;
  return { '=': order === 0, '<>': order !== 0, '<': order < 0, '<=': order <= 0, '>': order > 0, '>=': order >= 0 }[op]!;
}

function codePointOrder(a: string, b: string): number {
  const [x, y] = [[...a], [...b]].map((text) => text.map((c) => c.codePointAt(0)!));
  for (let i = 0; i < Math.min(x.length, y.length); i++) if (x[i] !== y[i]) return x[i] - y[i];
  return x.length - y.length;
}

/** Unicode's full case folding of the characters that occur in the oracle's texts (CaseFolding.txt, statuses C and F). */
export function folded(text: string): string {
  const full: Record<string, string> = { ß: 'ss', İ: 'i̇', ς: 'σ', ﬁ: 'fi', ı: 'ı' };
  return [...text].map((c) => full[c] ?? c.toLowerCase()).join('');
}

function calculate(op: string, a: number, b: number): number {
  if (op === '+') return a + b;
  if (op === '-') return a - b;
  if (op === '*') return a * b;
  if (op === '/') return a / b;
  if (op === '%') return a % b;
  if (op === '^') return Math.pow(a, b);
  const quotient = a / b;
  return quotient < 0 ? Math.ceil(quotient) : Math.floor(quotient);
}

type Pattern = ({ any: true } | { one: true } | string)[];

function patternOf(text: string): Pattern {
  const characters = [...text];
  const out: Pattern = [];
  for (let i = 0; i < characters.length; i++) {
    if (characters[i] === '\\' && i + 1 < characters.length) out.push(characters[++i]);
    else out.push(characters[i] === '%' ? { any: true } : characters[i] === '_' ? { one: true } : characters[i]);
  }
  return out;
}

function isLike(text: string[], [head, ...rest]: Pattern): boolean {
  if (head === undefined) return text.length === 0;
  if (typeof head === 'object' && 'any' in head) {
    for (let i = 0; i <= text.length; i++) if (isLike(text.slice(i), rest)) return true;
    return false;
  }
  return text.length > 0 && (typeof head === 'object' || head === text[0]) && isLike(text.slice(1), rest);
}

function relateLists(op: string, a: Thing, b: Thing): Truth {
  const [x, y] = [a, b].map((thing) => {
    if (typeof thing === 'string') return thing.startsWith('[') ? (JSON.parse(thing) as unknown[]) : null;
    return (thing as { list: unknown[] }).list;
  });
  if (!x || !y) return null;
  const within = (inner: unknown[], outer: unknown[]) => inner.every((item) => outer.some((other) => other === item));
  if (op === 'a_contains') return within(y, x);
  if (op === 'a_containedBy') return within(x, y);
  if (op === 'a_equals') return within(x, y) && within(y, x);
  return x.some((item) => y.includes(item));
}

/** Columns that an expression names, by a look at all of it. */
function columnsOf(expr: unknown): string[] {
  if (typeof expr !== 'object' || expr === null) return [];
  if ('property' in expr) return expr.property === 'geometry' ? [] : [expr.property as string];
  return Object.values(expr).flatMap(columnsOf);
}
