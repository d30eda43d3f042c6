import { CRS84 } from '../crs/crs.ts';
import type { Column, ColumnSchema, ColumnType } from '../features/column.ts';
import type { Mask } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { areasIn } from '../filters/areas.ts';
import { GEOMETRY_NAME, isCall, isInterval, isProperty, propertiesIn, type Expr } from '../filters/ast.ts';
import { isParsed, typeOfValue } from '../filters/check.ts';
import { FilterError } from '../filters/filter_error.ts';
import { operandsIn } from '../filters/operands.ts';
import type { Parsed } from '../filters/parser.ts';
import type { Geos } from '../geos/geos.ts';
import { operatorNamed } from '../operators/operator_registry.ts';
import { Sifter } from '../sifting/sifter.ts';
import { formatDay } from '../time/calendar.ts';
import { alikeColumn, alikeGroups, type Alike, type AlikeGroups, type AlikeTells } from './alike.ts';
import type { BlankCause } from './blank_causes.ts';
import { computedColumn } from './computed_column.ts';
import { joinedColumn, type SeveralRows } from '../joins/joined_column.ts';
import type { Likeness } from '../joins/keys.ts';
import { matchTables, type KeyPair, type Match } from '../joins/match.ts';
import { placedBy, placedColumn, type Placed, type PlacedBy } from '../joins/placed_column.ts';
import { membershipOf, type Membership } from '../zones/membership.ts';
import { zoneFigure, type ZoneFigure } from '../zones/zone_figures.ts';
import { typedColumn, type TypedDerivation } from './typed_column.ts';

/** A column that an expression over others of its source gives. */
export interface ComputedDerivation {
  kind: 'computed';
  expr: Expr;
  /** What its numbers are in, as it is read; null for none. */
  unit: string | null;
  /** The day, ISO 8601, that it was computed for, where it hangs on the as-of date; null elsewhere. */
  asOf: string | null;
  /** Why it still has the values of an earlier state of what it is made of; not there where it has those of the present one. */
  behind?: string;
}

/** A column that stands in another source, beside the features that have the same key. */
export interface JoinedDerivation {
  kind: 'joined';
  /** The source that it is taken from: its identity in the workspace, and what it is called. */
  source: number;
  table: string;
  pairs: KeyPair[];
  like: Likeness;
  /** The column of that source; null where its rows are counted. */
  column: string | null;
  several: SeveralRows;
  /** The state of that source's columns that it was made from, as the store tells it. */
  of: string;
  behind?: string;
}

/** A column of another source, taken from the feature that belongs to each by its place. */
export interface PlacedDerivation {
  kind: 'placed';
  /** The source that it is taken from: its identity in the workspace, and what it is called. */
  source: number;
  table: string;
  by: PlacedBy;
  /** The nearest is at most so many metres away; null: however far. */
  most: number | null;
  /** The column of that source; null for the distance in metres. */
  column: string | null;
  /** The state of that source that it was made from, as the store tells it. */
  of: string;
  behind?: string;
}

/** A figure of the features of another source that lie in each feature of this one. */
export interface ZonedDerivation {
  kind: 'zoned';
  /** Whose features: a source, all of them or what a sieve keeps at the moment, by identity, and what that is called. */
  source: number;
  sieve: number | null;
  called: string;
  figure: ZoneFigure;
  /** What its numbers are in, as it is read, where the figure does not say. */
  unit?: string;
  /** The state of all that it was made from, as the store tells it. */
  of: string;
  behind?: string;
}

/** What is told of features of its own source that are alike. */
export interface AlikeDerivation {
  kind: 'alike';
  alike: Alike;
  tells: AlikeTells;
}

/** What a derived column is made of. The columns that it is made from stay as they are beside it. */
export type Derivation = TypedDerivation | ComputedDerivation | AlikeDerivation | JoinedDerivation | PlacedDerivation | ZonedDerivation;

/** What the numbers of a derived column are in; null where that is not said. */
export function unitOfDerivation(derivation: Derivation | null): string | null {
  switch (derivation?.kind) {
    case 'computed':
      return derivation.unit;
    case 'typed':
      return derivation.unit ?? null;
    case 'zoned':
      return derivation.unit ?? derivation.figure.unit;
    case 'placed':
      return derivation.column === null ? 'm' : null;
    default:
      return null;
  }
}

/** The columns of its own source that a derived column is made from; `geometry` where it is measured. */
export function madeFrom(derivation: Derivation): string[] {
  if (derivation.kind === 'zoned' || derivation.kind === 'placed') return [GEOMETRY_NAME];
  if (derivation.kind === 'joined') return [...new Set(derivation.pairs.map(({ own }) => own))];
  if (derivation.kind === 'alike') return [...(derivation.alike.within === null ? [] : [GEOMETRY_NAME]), ...derivation.alike.columns];
  if (derivation.kind !== 'computed') return [derivation.from];
  const { expr } = derivation;
  return [...new Set([...(asksGeometry(expr) ? [GEOMETRY_NAME] : []), ...propertiesIn(expr)])];
}

function asksGeometry(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.some(asksGeometry);
  return isCall(expr) ? expr.args.some(asksGeometry) : isProperty(expr) && expr.property === GEOMETRY_NAME;
}

/** Whether an expression has other values on another as-of date. */
export function hangsOnAsOf(expr: Expr): boolean {
  if (Array.isArray(expr)) return expr.some(hangsOnAsOf);
  if (isInterval(expr)) return expr.interval.some((end) => typeof end !== 'string' && hangsOnAsOf(end));
  return isCall(expr) && (operatorNamed(expr.op)?.asOf === true || expr.args.some(hangsOnAsOf));
}

/**
 * Checks that an expression can be a column of a table, and says of which type.
 * Throws a FilterError; also where it hangs on what can change without the source: areas, other sources and sieves.
 */
export function checkComputed(parsed: Parsed | Expr, table: { columns: readonly ColumnSchema[] }): ColumnType {
  const expr = isParsed(parsed) ? parsed.expr : parsed;
  const type = typeOfValue(parsed, table.columns, { areas: areasNamed(expr), operands: operandsNamed(expr) });
  if (areasIn(expr).length > 0 || operandsIn(expr).length > 0)
    throw new FilterError(
      'A column is computed of its own row: areas, other sources and sieves cannot stand in it',
      null,
      'Make it a condition, or take their matches as columns when handing over',
    );
  return type;
}
// Whatever they are called, they are refused as what they are.
const areasNamed = (expr: Expr) => new Map(areasIn(expr).map((name) => [name, { type: 'Point' as const, coordinates: [0, 0] }]));
const operandsNamed = (expr: Expr) => {
  const all = operandsIn(expr);
  const named = (op: string) => all.filter((one) => one.op === op).map(({ args: [name] }) => name);
  return { sources: named('SOURCE'), sieves: named('SIEVE') };
};

export interface NamedDerivation {
  name: string;
  derivation: Derivation;
}
/** A derived column as it was made. */
export interface Derived extends NamedDerivation {
  column: Column;
  blanks: BlankCause[];
}

/** Sources that columns are joined from, by identity. */
export type JoinedTables = ReadonlyMap<number, FeatureTable>;

/** Features that are summed up by zones. */
export interface ZonedFeatures {
  table: FeatureTable;
  /** Null: all of them. */
  kept: Mask | null;
}
/** What zoned features are told apart by. */
export const zonedKey = ({ source, sieve }: Pick<ZonedDerivation, 'source' | 'sieve'>): string => `${source} ${sieve ?? ''}`;

/** What derived columns are made with. */
export interface DerivingWith {
  /** Days since 1970-01-01. */
  asOf: number;
  /** None where nothing is joined. */
  tables?: JoinedTables;
  /** By `zonedKey`; none where nothing is summed up. */
  features?: ReadonlyMap<string, ZonedFeatures>;
  geos?: Geos | null;
}

/**
 * Makes one derived column of a table.
 * @throws FilterError where it cannot be made of it
 */
export function derivedColumn(table: FeatureTable, wanted: NamedDerivation, using: DerivingWith): Derived {
  return new Deriving(using).column(table, wanted);
}

/**
 * Makes derived columns, each after those that it is made from; what the table has already is left as it is.
 * @returns the table with them, and those that could not be made of it, with why
 */
export function withDerived(
  table: FeatureTable,
  wanted: readonly NamedDerivation[],
  using: DerivingWith,
): { table: FeatureTable; made: Derived[]; left: (NamedDerivation & { problem: string })[] } {
  const deriving = new Deriving(using);
  let whole = table;
  const made: Derived[] = [];
  const left: (NamedDerivation & { problem: string })[] = [];
  const open = new Map(wanted.filter(({ name }) => !columnNamed(table, name)).map((one) => [one.name, one]));
  while (open.size > 0) {
    const next = [...open.values()].find(({ derivation }) => madeFrom(derivation).every((from) => !open.has(from)));
    if (!next) {
      left.push(...[...open.values()].map((one) => ({ ...one, problem: 'It goes round in a circle' })));
      break;
    }
    open.delete(next.name);
    try {
      const derived = deriving.column(whole, next);
      made.push(derived);
      whole = { ...whole, columns: [...whole.columns, derived.column] };
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      left.push({ ...next, problem: error.line });
    }
  }
  return { table: whole, made, left };
}

/** Makes columns of one table, which keep their key columns meanwhile. */
class Deriving {
  readonly #using: DerivingWith;
  readonly #matches = new Map<string, Match>();
  readonly #members = new Map<FeatureTable, Membership>();
  readonly #places = new Map<string, Placed>();
  readonly #groups = new Map<string, AlikeGroups>();

  constructor(using: DerivingWith) {
    this.#using = using;
  }

  column(table: FeatureTable, { name, derivation }: NamedDerivation): Derived {
    if (derivation.kind === 'joined') return this.#joined(table, name, derivation);
    if (derivation.kind === 'zoned') return this.#zoned(table, name, derivation);
    if (derivation.kind === 'placed') return this.#placed(table, name, derivation);
    if (derivation.kind === 'alike') return this.#alike(table, name, derivation);
    if (derivation.kind !== 'computed') {
      const from = columnNamed(table, derivation.from);
      if (!from?.dictionary) throw new FilterError(`There is no text column ${derivation.from}`);
      return { name, derivation, column: typedColumn(from, derivation, name), blanks: [] };
    }
    const present = upToDate(derivation);
    const { expr } = present;
    const { asOf } = this.#using;
    const type = checkComputed(expr, table);
    const computed = computedColumn(new Sifter(table, asOf, CRS84), expr, name, type);
    return { name, derivation: { ...present, asOf: hangsOnAsOf(expr) ? formatDay(asOf) : null }, ...computed };
  }

  #alike(table: FeatureTable, name: string, derivation: AlikeDerivation): Derived {
    const { alike, tells } = derivation;
    const key = JSON.stringify(alike);
    let groups = this.#groups.get(key);
    if (!groups) this.#groups.set(key, (groups = alikeGroups(table, alike, this.#using.geos ?? null)));
    const rows = tells === 'group' ? groups.groupOf.reduce((sum, group) => sum + (group < 0 ? 1 : 0), 0) : 0;
    const blanks = rows === 0 ? [] : [{ reason: 'it is like no other', rows, failed: false, examples: [] }];
    return { name, derivation, column: alikeColumn(groups, tells, name), blanks };
  }

  #zoned(zones: FeatureTable, name: string, derivation: ZonedDerivation): Derived {
    const found = this.#using.features?.get(zonedKey(derivation));
    if (!found) throw new FilterError(`${derivation.called} is not there`);
    let members = this.#members.get(found.table);
    if (!members) this.#members.set(found.table, (members = membershipOf(found.table, zones, this.#using.geos ?? null)));
    const column = zoneFigure(found.table, members, found.kept, derivation.figure, name);
    const rows = column.chunks.reduce((sum, { nulls }) => sum + nulls, 0);
    const blanks = rows === 0 ? [] : [{ reason: `no feature of ${derivation.called} there tells it`, rows, failed: false, examples: [] }];
    return { name, derivation: upToDate(derivation), column, blanks };
  }

  #placed(table: FeatureTable, name: string, derivation: PlacedDerivation): Derived {
    const { source, by, most, column: wanted } = derivation;
    const other = this.#using.tables?.get(source);
    if (!other) throw new FilterError(`The source ${derivation.table} is not there`);
    const of = wanted === null ? null : columnNamed(other, wanted);
    if (of === undefined) throw new FilterError(`${derivation.table} has no column ${wanted}`);
    const key = JSON.stringify([source, by, most]);
    let placed = this.#places.get(key);
    if (!placed) this.#places.set(key, (placed = placedBy(table, other, by, most, this.#using.geos ?? null)));
    const column = placedColumn(placed, of, name);
    const without = placed.rows.reduce((sum, row) => sum + (row < 0 ? 1 : 0), 0);
    const blank = column.chunks.reduce((sum, { nulls }) => sum + nulls, 0);
    const causes = [
      { reason: `no feature of ${derivation.table} belongs to it`, rows: without },
      { reason: `it is blank in ${derivation.table}`, rows: blank - without },
    ];
    const blanks = causes.flatMap((cause) => (cause.rows > 0 ? [{ ...cause, failed: false, examples: [] }] : []));
    return { name, derivation: upToDate(derivation), column, blanks };
  }

  #joined(table: FeatureTable, name: string, derivation: JoinedDerivation): Derived {
    const other = this.#using.tables?.get(derivation.source);
    if (!other) throw new FilterError(`The source ${derivation.table} is not there`);
    const { pairs, like, column: wanted, several } = derivation;
    const key = JSON.stringify([derivation.source, pairs, like]);
    let match = this.#matches.get(key);
    if (!match) this.#matches.set(key, (match = matchTables(table, other, pairs, like)));
    const of = wanted === null ? null : columnNamed(other, wanted);
    if (of === undefined) throw new FilterError(`${derivation.table} has no column ${wanted}`);
    const column = joinedColumn(match, of, several, name);
    return { name, derivation: upToDate(derivation), column, blanks: joinBlanks(match, derivation, column) };
  }
}

/** The same, made of the present state of what it is made of. */
function upToDate<T extends Exclude<Derivation, TypedDerivation | AlikeDerivation>>(derivation: T): T {
  const present = { ...derivation };
  delete present.behind;
  return present;
}

/** Why a joined column is blank where it is. */
function joinBlanks({ own, partnerOf }: Match, { table, several }: JoinedDerivation, column: Column): BlankCause[] {
  let [unkeyed, unmatched] = [0, 0];
  for (const key of own.keyOf) {
    if (key < 0) unkeyed++;
    else if (partnerOf[key] < 0) unmatched++;
  }
  const blank = column.chunks.reduce((sum, { nulls }) => sum + nulls, 0);
  const without = several === 'count' ? 0 : unmatched;
  return [
    { reason: 'it has no key', rows: unkeyed },
    { reason: `its key is not in ${table}`, rows: without },
    { reason: `it is blank in ${table}`, rows: blank - unkeyed - without },
  ].flatMap((cause) => (cause.rows > 0 ? [{ ...cause, failed: false, examples: [] }] : []));
}

/** Derived columns that hang on one, directly or through others, each after those that it is made from. */
export function derivedFrom(name: string, all: readonly NamedDerivation[]): NamedDerivation[] {
  const found: NamedDerivation[] = [];
  const names = new Set([name]);
  for (;;) {
    const next = all.find((one) => !names.has(one.name) && madeFrom(one.derivation).some((from) => names.has(from)));
    if (!next) return found;
    names.add(next.name);
    found.push(next);
  }
}
