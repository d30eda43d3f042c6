import type { Call, Expr } from '@clean-sieve/core';
import type { Random } from './random_lists.ts';
import type { Records, ValueKind } from './records.ts';

const call = (op: string, ...args: Expr[]): Call => ({ op, args });
const column = (name: string): Expr => ({ property: name });
const COMPARISONS = ['=', '<>', '<', '<=', '>', '>='];
const TIMES =
  't_after t_before t_contains t_disjoint t_during t_equals t_finishedBy t_finishes t_intersects t_meets t_metBy t_overlappedBy t_overlaps t_startedBy t_starts'.split(
    ' ',
  );
const ARRAYS = ['a_contains', 'a_containedBy', 'a_equals', 'a_overlaps'];
const UNITS = ['days', 'weeks', 'months', 'quarters', 'years'];

/** Makes filters of every conformance class about the columns of a table, with bounds that often are its own values. */
export class AnyQuestion {
  readonly #random: Random;
  readonly #records: Records;
  readonly #place: (() => Expr) | null;

  /** @param place makes a relation in space; none are asked unless given */
  constructor(random: Random, records: Records, place: (() => Expr) | null) {
    this.#random = random;
    this.#records = records;
    this.#place = place;
  }

  filter(depth = 3): Expr {
    const random = this.#random;
    if (depth === 0 || random.chance(0.35)) return this.#test();
    if (random.chance(0.2)) return call('not', this.filter(depth - 1));
    if (random.chance(0.05)) return call(random.pick(['=', '<>']), this.#test(), random.chance(0.5) ? random.chance(0.5) : this.#test());
    return call(random.pick(['and', 'or']), ...random.many(2, 4, () => this.filter(depth - 1)));
  }

  #test(): Expr {
    const tests: (() => Expr)[] = [
      ...[() => this.#numbers(), () => this.#numbers(), () => this.#texts(), () => this.#texts()],
      ...[() => this.#times(), () => this.#times(), () => this.#relations(), () => this.#parts()],
      () => this.#yesNo(),
      () => this.#lists(),
      () => call('isNull', this.#anything()),
      () => call('COULD_BE', this.#random.chance(0.5) ? this.#times() : call('and', this.#relations(), this.#times())),
    ];
    if (this.#place) tests.push(this.#place, this.#place, this.#place);
    return this.#random.pick(tests)();
  }

  #named(...kinds: ValueKind[]): string {
    const { types } = this.#records;
    return this.#random.pick(Object.keys(types).filter((name) => kinds.includes(types[name])));
  }

  #valueOf(name: string): unknown {
    const { rows } = this.#records;
    for (let tries = 0; tries < 5 && rows.length > 0; tries++) {
      const value = this.#random.pick(rows)[name];
      if (value !== null) return value;
    }
    return null;
  }

  #number(): number {
    const value = this.#valueOf(this.#named('number'));
    return typeof value === 'number' && this.#random.chance(0.7) ? value : this.#random.pick([0, 1, -1, 2.5, 1e9]);
  }

  #amount(depth = 1): Expr {
    const random = this.#random;
    if (depth === 0 || random.chance(0.5)) return random.chance(0.7) ? column(this.#named('number')) : this.#number();
    return call(random.pick(['+', '-', '*', '/', '%', 'div', '^']), this.#amount(depth - 1), this.#amount(depth - 1));
  }

  #numbers(): Expr {
    const random = this.#random;
    const subject = random.chance(0.6) ? column(this.#named('number')) : this.#amount(2);
    const other = (): Expr => (random.chance(0.75) ? this.#number() : this.#amount());
    if (random.chance(0.2)) return call('between', subject, other(), other());
    if (random.chance(0.2)) return call('in', subject, random.many(1, 4, other));
    return random.chance(0.8) ? call(random.pick(COMPARISONS), subject, other()) : call(random.pick(COMPARISONS), other(), subject);
  }

  #text(): Expr {
    const value = this.#valueOf(this.#named('text'));
    const text = typeof value === 'string' && this.#random.chance(0.8) ? value : this.#random.pick(['oak', 'i', 'zz', '']);
    // A text that ends with a backslash is spelled by its code points, as the printer does.
    return /\\('|$)/.test(text) ? call('CODEPOINTS', ...[...text].map((c) => c.codePointAt(0)!)) : text;
  }

  #texts(): Expr {
    const random = this.#random;
    const name = column(this.#named('text'));
    const fold = random.pick([null, null, 'casei', 'accenti', 'both']);
    const wrapped = (expr: Expr): Expr =>
      fold === null ? expr : fold === 'both' ? call('casei', call('accenti', expr)) : call(fold, expr);
    if (random.chance(0.25)) {
      const text = this.#valueOf(this.#named('text'));
      const piece = typeof text === 'string' ? [...text].slice(0, random.whole(0, 3)).join('').replace(/\\$/, '') : 'o';
      return call('like', wrapped(name), wrapped(random.pick([`${piece}%`, `%${piece}`, `_${piece}%`, `%${piece}%a%`, piece, '%'])));
    }
    if (random.chance(0.2))
      return call(
        'in',
        wrapped(name),
        random.many(1, 4, () => wrapped(this.#text())),
      );
    if (random.chance(0.15)) return call('between', name, this.#text(), this.#text());
    return call(random.pick(COMPARISONS), wrapped(name), wrapped(random.chance(0.8) ? this.#text() : column(this.#named('text'))));
  }

  #yesNo(): Expr {
    const name = column(this.#named('boolean'));
    return this.#random.pick<Expr>([name, call('=', name, true), call('<>', name, true), call('=', false, name)]);
  }

  #lists(): Expr {
    const list = this.#random.many(1, 3, () => this.#random.pick<Expr>(['a', 'b', 'c', 1, 2]));
    return call(this.#random.pick(ARRAYS), column(this.#named('array')), list);
  }

  #anything(): Expr {
    const random = this.#random;
    return random.pick<Expr>([
      column(random.pick(Object.keys(this.#records.types))),
      column('geometry'),
      this.#amount(2),
      call('=', this.#amount(), this.#number()),
    ]);
  }

  /** A literal day or moment. */
  #moment(): Expr {
    const random = this.#random;
    const day = this.#valueOf(this.#named('date', 'datetime'));
    const text = typeof day === 'string' ? day : '2024-01-01';
    const date = `${text.slice(0, 10)}-01-01`.slice(0, 10);
    if (random.chance(0.1)) return random.chance(0.3) ? call('AS_OF') : call('AS_OF', random.whole(-8, 8), random.pick(UNITS));
    return random.chance(0.7) ? { date } : { timestamp: `${date}T${random.pick(['00:00:00Z', '12:30:00Z', '23:59:59.999Z'])}` };
  }

  #times(): Expr {
    const random = this.#random;
    const subject = column(this.#named('date', 'datetime'));
    const other = () => (random.chance(0.8) ? this.#moment() : column(this.#named('date', 'datetime')));
    if (random.chance(0.15)) return call('between', subject, other(), other());
    if (random.chance(0.1)) return call('in', subject, random.many(1, 3, other));
    return random.chance(0.85) ? call(random.pick(COMPARISONS), subject, other()) : call(random.pick(COMPARISONS), other(), subject);
  }

  #period(): Expr {
    const random = this.#random;
    if (random.chance(0.15)) return call(random.pick(['LAST', 'NEXT']), random.whole(1, 30), random.pick(UNITS));
    const end = (): Expr => {
      if (random.chance(0.2)) return '..';
      return random.chance(0.3) ? column(this.#named(vague++ === 0 ? 'date' : 'datetime')) : this.#moment();
    };
    // Two ends that are each some day of a month or year are a great many periods: one is enough.
    let vague = 0;
    return random.chance(0.3) ? this.#moment() : { interval: [end(), end()] };
  }

  #relations(): Expr {
    const random = this.#random;
    const subject = random.chance(0.75) ? column(this.#named('date', 'datetime')) : this.#period();
    return call(random.pick(TIMES), ...(random.chance(0.8) ? [subject, this.#period()] : [this.#period(), subject]));
  }

  #parts(): Expr {
    const random = this.#random;
    const part = random.pick(['YEAR', 'QUARTER', 'MONTH', 'WEEKDAY', 'HOUR']);
    const value = () => (part === 'YEAR' ? random.whole(2019, 2026) : random.whole(0, 12));
    const of = call(part, column(part === 'HOUR' ? this.#named('datetime') : this.#named('date', 'datetime')));
    if (random.chance(0.4)) return call('in', of, random.many(1, 3, value));
    return call(random.pick(COMPARISONS), of, value());
  }
}
