import type { Geometry, Position } from 'geojson';
import { dateSpelled } from '../derive/spellings.ts';
import { formatDay, parseDate, parseInstant } from '../time/calendar.ts';
import { canonicalOp, operatorNamed, signsAt } from '../operators/operator_registry.ts';
import { call, isCall, type Call, type Expr } from './ast.ts';
import { FilterError, type Span } from './filter_error.ts';
import { tokens, type Token } from './lexer.ts';

/** An expression with the places in the text that its calls and their arguments came from. */
export interface Parsed {
  expr: Expr;
  span: Span;
  /** Span of a call as a whole. */
  spans: WeakMap<object, Span>;
  /** Spans of the arguments of a call, in order. */
  argSpans: WeakMap<object, Span[]>;
  /** Calls of `or` with members of `and` that stand in no brackets, which readers take either way. */
  mixed: { or: Call; loose: Set<Expr> }[];
}

/** Deepest nesting that is read; deeper texts are refused with an error rather than exhausting the stack. */
export const MAX_DEPTH = 400;

const [COMPARISON_SIGNS, SUM_SIGNS, PRODUCT_SIGNS] = [signsAt('comparison'), signsAt('sum'), signsAt('product')];
const RESERVED = new Set(['AND', 'OR', 'NOT', 'LIKE', 'BETWEEN', 'IN', 'IS', 'NULL', 'DIV']);
const GEOMETRY_WORDS: Record<string, Geometry['type']> = {
  POINT: 'Point',
  LINESTRING: 'LineString',
  POLYGON: 'Polygon',
  MULTIPOINT: 'MultiPoint',
  MULTILINESTRING: 'MultiLineString',
  MULTIPOLYGON: 'MultiPolygon',
  GEOMETRYCOLLECTION: 'GeometryCollection',
};
/**
 * Reads CQL2 Text (OGC 21-065r2, Annex B). The grammar is read with one precedence ladder (OR, AND, NOT, predicate,
 * sum, product, power); whether the parts fit together is the checker's business.
 * Throws a FilterError with the position and what was expected.
 */
export function parseFilter(text: string): Parsed {
  return new Parser(text).parse();
}

/** Reads one geometry in well-known text. Throws a FilterError with the position and what was expected. */
export function parseGeometry(text: string): Geometry {
  return new Parser(text).parseGeometry();
}

/** A day in one of the usual spellings as CQL2 writes it, in quotes; null when the text is no day. */
export function quotedDay(text: string): string | null {
  const date = dateSpelled(text, 'dmy');
  return date?.precision === 'day' ? `'${formatDay(date.day)}'` : null;
}

class Parser {
  #tokens: Token[];
  #at = 0;
  #depth = 0;
  #spans = new WeakMap<object, Span>();
  #argSpans = new WeakMap<object, Span[]>();
  #lastSpan: Span = { from: 0, to: 0 };
  #mixed: Parsed['mixed'] = [];
  /** The call that the last chain made; null when it was a single operand. */
  #lastChain: Call | null = null;
  #text: string;

  constructor(text: string) {
    this.#text = text;
    this.#tokens = tokens(text);
  }

  parse(): Parsed {
    if (this.#peek.kind === 'end') throw new FilterError('The filter is empty', this.#peek, 'Write a condition, for example: height > 12');
    const expr = this.#or();
    const rest = this.#peek;
    if (rest.kind !== 'end') throw this.#unexpected(rest, 'AND, OR or the end of the filter');
    return { expr, span: this.#lastSpan, spans: this.#spans, argSpans: this.#argSpans, mixed: this.#mixed };
  }

  parseGeometry(): Geometry {
    const geometry = this.#member();
    if (this.#peek.kind !== 'end') throw this.#unexpected(this.#peek, 'the end of the geometry');
    return geometry;
  }

  get #peek(): Token {
    return this.#tokens[this.#at];
  }

  #next(): Token {
    return this.#tokens[this.#at++];
  }

  #isWord(word: string, ahead = 0): boolean {
    const token = this.#tokens[Math.min(this.#at + ahead, this.#tokens.length - 1)];
    return token.kind === 'name' && token.value.toUpperCase() === word;
  }

  #isSymbol(symbol: string, ahead = 0): boolean {
    const token = this.#tokens[Math.min(this.#at + ahead, this.#tokens.length - 1)];
    return token.kind === 'symbol' && token.value === symbol;
  }

  #takeWord(word: string): boolean {
    const found = this.#isWord(word);
    if (found) this.#at++;
    return found;
  }

  #takeSymbol(symbol: string): boolean {
    const found = this.#isSymbol(symbol);
    if (found) this.#at++;
    return found;
  }

  #expectSymbol(symbol: string, context: string): Token {
    if (!this.#isSymbol(symbol)) throw this.#unexpected(this.#peek, `“${symbol}” ${context}`);
    return this.#next();
  }

  #unexpected(token: Token, expected: string): FilterError {
    const found = token.kind === 'end' ? 'the text ends' : `found “${this.#text.slice(token.from, token.to)}”`;
    const hint = /^(=|==)$/.test(token.value) && this.#tokens[this.#at - 1]?.value === '=' ? 'Equality is written with a single =' : null;
    return new FilterError(`Expected ${expected}, but ${found}`, token, hint);
  }

  /** Runs a rule one level deeper and remembers the span of what it read. */
  #spanned<T extends Expr>(from: number, expr: T): T {
    const span = { from, to: this.#tokens[this.#at - 1].to };
    this.#lastSpan = span;
    if (typeof expr === 'object' && !this.#spans.has(expr)) this.#spans.set(expr, span);
    return expr;
  }

  #call(from: number, op: string, args: Expr[], argSpans: Span[]): Call {
    const node = call(op, ...args);
    this.#argSpans.set(node, argSpans);
    return this.#spanned(from, node);
  }

  #or(): Expr {
    if (++this.#depth > MAX_DEPTH) throw new FilterError(`The filter is nested more than ${MAX_DEPTH} levels deep`, this.#peek);
    const loose = new Set<Expr>();
    const expr = this.#chain('OR', 'or', () => {
      const operand = this.#chain('AND', 'and', () => this.#not());
      if (this.#lastChain === operand) loose.add(operand);
      return operand;
    });
    const made = this.#lastChain;
    if (made?.op === 'or' && loose.size > 0) this.#mixed.push({ or: made, loose });
    this.#depth--;
    return expr;
  }

  /** One or more operands joined by the same word, as one n-ary call. */
  #chain(word: string, op: string, operand: () => Expr): Expr {
    const from = this.#peek.from;
    const args = [operand()];
    const spans = [this.#lastSpan];
    while (this.#takeWord(word)) {
      args.push(operand());
      spans.push(this.#lastSpan);
    }
    this.#lastChain = args.length === 1 ? null : this.#call(from, op, args, spans);
    return this.#lastChain ?? args[0];
  }

  #not(): Expr {
    const from = this.#peek.from;
    let negations = 0;
    while (this.#takeWord('NOT')) {
      if (++negations > MAX_DEPTH) throw new FilterError(`The filter is nested more than ${MAX_DEPTH} levels deep`, this.#peek);
    }
    let expr = this.#predicate();
    for (; negations > 0; negations--) expr = this.#call(from, 'not', [expr], [this.#lastSpan]);
    return expr;
  }

  #predicate(): Expr {
    const from = this.#peek.from;
    const left = this.#sum();
    const leftSpan = this.#lastSpan;
    const token = this.#peek;
    if (token.kind === 'symbol' && COMPARISON_SIGNS.includes(token.value)) {
      this.#next();
      const right = this.#sum();
      return this.#call(from, token.value, [left, right], [leftSpan, this.#lastSpan]);
    }
    if (this.#takeWord('IS')) {
      const negated = this.#takeWord('NOT');
      if (!this.#takeWord('NULL')) throw this.#unexpected(this.#peek, negated ? 'NULL after IS NOT' : 'NULL or NOT NULL after IS');
      return this.#negate(negated, this.#call(from, 'isNull', [left], [leftSpan]), from);
    }
    const negated = this.#isWord('NOT');
    const word = negated ? this.#tokens[this.#at + 1]?.value.toUpperCase() : token.value.toUpperCase();
    if ((negated || token.kind === 'name') && (word === 'LIKE' || word === 'BETWEEN' || word === 'IN')) {
      this.#at += negated ? 2 : 1;
      if (word === 'LIKE') {
        const pattern = this.#sum();
        return this.#negate(negated, this.#call(from, 'like', [left, pattern], [leftSpan, this.#lastSpan]), from);
      }
      if (word === 'BETWEEN') return this.#negate(negated, this.#between(from, left, leftSpan), from);
      return this.#negate(negated, this.#inList(from, left, leftSpan), from);
    }
    if (negated) throw this.#unexpected(this.#tokens[this.#at + 1], 'LIKE, BETWEEN or IN after NOT');
    return left;
  }

  #negate(negated: boolean, expr: Expr, from: number): Expr {
    return negated ? this.#call(from, 'not', [expr], [this.#lastSpan]) : expr;
  }

  #between(from: number, left: Expr, leftSpan: Span): Call {
    const low = this.#sum();
    const lowSpan = this.#lastSpan;
    if (!this.#takeWord('AND')) throw this.#unexpected(this.#peek, 'AND and the upper end of BETWEEN');
    const high = this.#sum();
    return this.#call(from, 'between', [left, low, high], [leftSpan, lowSpan, this.#lastSpan]);
  }

  #inList(from: number, left: Expr, leftSpan: Span): Call {
    const open = this.#expectSymbol('(', "after IN, as in IN ('a', 'b')");
    const values: Expr[] = [];
    const spans: Span[] = [];
    do {
      values.push(this.#sum());
      spans.push(this.#lastSpan);
    } while (this.#takeSymbol(','));
    this.#expectSymbol(')', 'or “,” in the list of IN');
    this.#argSpans.set(values, spans);
    return this.#call(from, 'in', [left, values], [leftSpan, { from: open.from, to: this.#tokens[this.#at - 1].to }]);
  }

  #sum(): Expr {
    return this.#leftAssociative(SUM_SIGNS, () => this.#product());
  }

  #product(): Expr {
    return this.#leftAssociative(PRODUCT_SIGNS, () => this.#power());
  }

  #leftAssociative(operators: readonly string[], operand: () => Expr): Expr {
    const from = this.#peek.from;
    let expr = operand();
    for (let steps = 0; ; steps++) {
      const token = this.#peek;
      const operator = token.kind === 'symbol' || token.kind === 'name' ? token.value.toUpperCase() : '';
      if (!operators.includes(operator)) return expr;
      if (steps > MAX_DEPTH) throw new FilterError(`More than ${MAX_DEPTH} terms in one sum or product`, token);
      const leftSpan = this.#lastSpan;
      this.#next();
      const right = operand();
      expr = this.#call(from, operator.toLowerCase(), [expr, right], [leftSpan, this.#lastSpan]);
    }
  }

  #power(): Expr {
    const from = this.#peek.from;
    const base = this.#signed();
    if (!this.#isSymbol('^')) return base;
    const baseSpan = this.#lastSpan;
    this.#next();
    const exponent = this.#signed();
    return this.#call(from, '^', [base, exponent], [baseSpan, this.#lastSpan]);
  }

  #signed(): Expr {
    const from = this.#peek.from;
    let negative = false;
    while (this.#isSymbol('-') || this.#isSymbol('+')) if (this.#next().value === '-') negative = !negative;
    const expr = this.#primary();
    if (!negative) return this.#spanned(from, expr);
    if (typeof expr === 'number') return this.#spanned(from, -expr);
    return this.#call(from, '*', [-1, expr], [this.#lastSpan, this.#lastSpan]);
  }

  #primary(): Expr {
    const token = this.#peek;
    switch (token.kind) {
      case 'text':
        this.#next();
        return this.#spanned(token.from, token.value);
      case 'number':
        this.#next();
        return this.#spanned(token.from, this.#number(token));
      case 'quoted-name':
        this.#next();
        return this.#spanned(token.from, { property: token.value });
      case 'name':
        return this.#named(token);
      case 'symbol':
        if (token.value === '(') return this.#parenthesised();
        throw this.#unexpected(token, 'a column, a value or “(”');
      case 'end':
        throw this.#unexpected(token, 'a column or a value');
    }
  }

  #number(token: Token): number {
    const value = Number(token.value);
    if (!Number.isFinite(value)) throw new FilterError('This number is too large', token);
    return value;
  }

  #parenthesised(): Expr {
    const open = this.#next();
    if (this.#takeSymbol(')')) return this.#spanned(open.from, []);
    const first = this.#or();
    if (!this.#isSymbol(',')) {
      this.#expectSymbol(')', `to close the bracket opened at character ${open.from + 1}`);
      this.#lastSpan = { from: open.from, to: this.#tokens[this.#at - 1].to };
      return first;
    }
    const values = [first];
    while (this.#takeSymbol(',')) values.push(this.#or());
    this.#expectSymbol(')', 'or “,” in the list');
    return this.#spanned(open.from, values);
  }

  #named(token: Token): Expr {
    const word = token.value.toUpperCase();
    if (word === 'TRUE' || word === 'FALSE') {
      this.#next();
      return this.#spanned(token.from, word === 'TRUE');
    }
    if (RESERVED.has(word)) {
      const hint = `A column of this name stands in double quotes: "${token.value}"`;
      const error = this.#unexpected(token, 'a column or a value');
      throw new FilterError(error.message, token, hint);
    }
    if (word in GEOMETRY_WORDS && this.#startsGeometry()) return this.#spanned(token.from, this.#geometry());
    if (!this.#isSymbol('(', 1)) {
      this.#next();
      return this.#spanned(token.from, { property: token.value });
    }
    if (word === 'DATE' || word === 'TIMESTAMP') return this.#instantLiteral(word);
    if (word === 'INTERVAL') return this.#interval();
    if (word === 'BBOX') return this.#box();
    return this.#function();
  }

  #instantLiteral(word: 'DATE' | 'TIMESTAMP'): Expr {
    const { from } = this.#next();
    this.#next();
    const token = this.#peek;
    const example = word === 'DATE' ? "DATE('2024-05-31')" : "TIMESTAMP('2024-05-31T12:30:00Z')";
    if (token.kind !== 'text') throw this.#unexpected(token, `a quoted ${word.toLowerCase()}, as in ${example}`);
    const good = word === 'DATE' ? parseDate(token.value)?.precision === 'day' : parseInstant(token.value) !== null;
    if (!good)
      throw new FilterError(
        `“${token.value}” is not a valid ${word.toLowerCase()}`,
        token,
        `Write it as in ${example}`,
        word === 'DATE' ? quotedDay(token.value) : null,
      );
    this.#next();
    this.#expectSymbol(')', `after the ${word.toLowerCase()}`);
    return this.#spanned(from, word === 'DATE' ? { date: token.value } : { timestamp: token.value });
  }

  #interval(): Expr {
    const { from } = this.#next();
    this.#next();
    const end = (): Expr => {
      const token = this.#peek;
      if (token.kind !== 'text') return this.#sum();
      const known = token.value === '..' || parseDate(token.value)?.precision === 'day' || parseInstant(token.value);
      if (!known) {
        throw new FilterError(
          `“${token.value}” is not a date, a date-time or '..'`,
          token,
          "An interval is written as in INTERVAL('2024-01-01', '..')",
        );
      }
      this.#next();
      return this.#spanned(token.from, token.value);
    };
    const start = end();
    this.#expectSymbol(',', 'between the two ends of INTERVAL');
    const stop = end();
    this.#expectSymbol(')', 'after the second end of INTERVAL');
    return this.#spanned(from, { interval: [start, stop] });
  }

  #box(): Expr {
    const { from } = this.#next();
    this.#next();
    const bbox: number[] = [];
    do bbox.push(this.#coordinate());
    while (this.#takeSymbol(','));
    this.#expectSymbol(')', 'after the numbers of BBOX');
    if (bbox.length !== 4 && bbox.length !== 6) {
      throw new FilterError(
        `BBOX takes 4 or 6 numbers, not ${bbox.length}`,
        { from, to: this.#tokens[this.#at - 1].to },
        'BBOX(west, south, east, north)',
      );
    }
    return this.#spanned(from, { bbox });
  }

  #function(): Expr {
    const name = this.#next();
    this.#next();
    const op = canonicalOp(name.value);
    const ofArrays = operatorNamed(op)?.evaluation.by === 'arrays';
    const args: Expr[] = [];
    const spans: Span[] = [];
    if (!this.#isSymbol(')')) {
      do {
        const bracketed = this.#isSymbol('(');
        const arg = this.#or();
        // A list of one looks like a bracketed value; array functions take it as the list.
        const list = ofArrays && bracketed && !Array.isArray(arg) && !isArithmetic(arg);
        args.push(list ? [arg] : arg);
        spans.push(this.#lastSpan);
      } while (this.#takeSymbol(','));
    }
    this.#expectSymbol(')', `or “,” in the arguments of ${name.value}`);
    return this.#call(name.from, op, args, spans);
  }

  #startsGeometry(): boolean {
    if (this.#isSymbol('(', 1) || this.#isWord('EMPTY', 1)) return true;
    return (this.#isWord('Z', 1) || this.#isWord('M', 1) || this.#isWord('ZM', 1)) && this.#isSymbol('(', 2);
  }

  #geometry(): Geometry {
    const word = this.#next();
    const type = GEOMETRY_WORDS[word.value.toUpperCase()];
    if (this.#isWord('M') || this.#isWord('ZM')) throw new FilterError('Geometries with M values are not part of CQL2', this.#peek);
    this.#takeWord('Z');
    if (this.#isWord('EMPTY')) throw new FilterError('An empty geometry cannot be used in a filter', this.#peek);
    switch (type) {
      case 'Point':
        return { type, coordinates: this.#bracketed(() => this.#position()) };
      case 'LineString':
        return { type, coordinates: this.#line(2) };
      case 'Polygon':
        return { type, coordinates: this.#list(() => this.#ring()) };
      case 'MultiPoint':
        return {
          type,
          coordinates: this.#list(() => (this.#isSymbol('(') ? this.#bracketed(() => this.#position()) : this.#position())),
        };
      case 'MultiLineString':
        return { type, coordinates: this.#list(() => this.#line(2)) };
      case 'MultiPolygon':
        return { type, coordinates: this.#list(() => this.#list(() => this.#ring())) };
      case 'GeometryCollection':
        return { type, geometries: this.#list(() => this.#member()) };
    }
  }

  #member(): Geometry {
    if (!(this.#peek.value.toUpperCase() in GEOMETRY_WORDS)) throw this.#unexpected(this.#peek, 'a geometry such as POINT(…)');
    if (++this.#depth > MAX_DEPTH) throw new FilterError(`The filter is nested more than ${MAX_DEPTH} levels deep`, this.#peek);
    const geometry = this.#geometry();
    this.#depth--;
    return geometry;
  }

  #bracketed<T>(item: () => T): T {
    this.#expectSymbol('(', 'in the geometry');
    const value = item();
    this.#expectSymbol(')', 'in the geometry');
    return value;
  }

  #list<T>(item: () => T): T[] {
    return this.#bracketed(() => {
      const items = [item()];
      while (this.#takeSymbol(',')) items.push(item());
      return items;
    });
  }

  #line(least: number): Position[] {
    const from = this.#peek.from;
    const line = this.#list(() => this.#position());
    if (line.length < least) throw new FilterError(`A line needs at least ${least} positions`, { from, to: this.#tokens[this.#at - 1].to });
    return line;
  }

  #ring(): Position[] {
    const from = this.#peek.from;
    const ring = this.#list(() => this.#position());
    const span = { from, to: this.#tokens[this.#at - 1].to };
    const [first, last] = [ring[0], ring[ring.length - 1]];
    if (ring.length < 4) throw new FilterError('A ring needs at least four positions, the last equal to the first', span);
    if (first[0] !== last[0] || first[1] !== last[1]) {
      throw new FilterError('This ring is not closed', span, `End it where it starts: ${first[0]} ${first[1]}`);
    }
    return ring;
  }

  #position(): Position {
    const position = [this.#coordinate(), this.#coordinate()];
    if (!this.#isSymbol(',') && !this.#isSymbol(')')) position.push(this.#coordinate());
    return position;
  }

  #coordinate(): number {
    const negative = this.#takeSymbol('-');
    if (!negative) this.#takeSymbol('+');
    const token = this.#peek;
    if (token.kind !== 'number') throw this.#unexpected(token, 'a coordinate');
    this.#next();
    return negative ? -this.#number(token) : this.#number(token);
  }
}

const isArithmetic = (expr: Expr) =>
  isCall(expr) && operatorNamed(expr.op)?.syntax.kind === 'infix' && operatorNamed(expr.op)?.result === 'number';
