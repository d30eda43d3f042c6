import { basename } from 'node:path';
import {
  checkComputed,
  checkFilter,
  count,
  CRS84,
  DAY_MILLIS,
  derivedColumn,
  emptyTree,
  exprOfTree,
  findingsOf,
  findNode,
  fullMask,
  GEOMETRY_NAME,
  Geos,
  isDatabase,
  isGeographic,
  isParsed,
  needsEngine,
  parseDate,
  parseFilter,
  parseFilterJson,
  printFilter,
  rowsOf,
  Sifter,
  siftTree,
  treeOfExpr,
  twoReadings,
  unknownOf,
  writtenFormatOf,
  type ColumnSchema,
  type Expr,
  type FeatureTable,
  type Group,
  type Parsed,
  type StackOfCombinations,
  type TreeNode,
  withoutEach,
} from '@clean-sieve/core';
import { crsNamed } from '../crs/epsg.ts';
import { writeOut, type OutOptions } from './out.ts';
import { withJoins, type JoinedTable } from './join.ts';
import { countInDatabase } from './read_database.ts';
import { readElsewhere, readFile } from './read_file.ts';
import { UsageError } from './usage_error.ts';

export interface SiftOptions extends OutOptions {
  where?: string;
  out?: string;
  layer?: string;
  filterCrs?: string;
  sourceCrs?: string;
  asOf?: string;
  lon?: string;
  lat?: string;
  wkt?: string;
  explain?: boolean;
  check?: boolean;
  /** Other files by the names that the filter gives them: `NAME=FILE`. */
  with?: string[];
  /** Columns that are computed before the filter is asked: `NAME = EXPRESSION`, each of those before it. */
  derive?: string[];
  /** Tables whose columns stand beside the features of the same key: `FILE:KEY=KEY`. */
  join?: string[];
  /** What becomes of several rows of one key, and what is not looked at when keys are compared. */
  several?: string;
  alike?: string;
}

export interface SiftCounts {
  read: number;
  kept: number;
  /**
   * Features for which the filter is unknown, because a value that it needs is blank; null where others left features out, of which they do not
   * say why.
   */
  unknown: number | null;
  /** Of a service or a database: the parts of the filter that it decided, and that was decided here, and how many features came over. */
  pushed?: string | null;
  here?: string | null;
  fetched?: number;
  out?: string;
  notes?: string[];
  /** What the written file does not hold as it is. */
  losses?: string[];
  /** With `join`: of each table what matches. */
  joined?: JoinedTable[];
  /** With `derive`: of each computed column its type, and why it is blank where it is. */
  derived?: { name: string; type: string; blanks: { reason: string; rows: number }[] }[];
  /** With `explain`: the numbers of the stack, outermost group first. */
  stack?: StackLine[];
}

export interface StackLine {
  /** How deep the row stands in its groups. */
  level: number;
  /** The condition, or the group's word. */
  condition: string;
  reach: number;
  left: number;
  unknown: number;
  alone: number;
  /** What would be kept without it. */
  without: number;
}

/** Reads a file, sifts it and, if asked, writes what is kept. Nothing is written unless everything went well. */
export async function sift(file: string, options: SiftOptions): Promise<SiftCounts | CheckedFilter> {
  const asOf = options.asOf === undefined ? Math.floor(Date.now() / DAY_MILLIS) : readDay(options.asOf);
  const outFormat = options.out === undefined ? null : writtenFormatOf(basename(options.out));
  const parsed = options.where === undefined ? null : readFilter(options.where);
  const filterCrs = options.filterCrs === undefined ? CRS84 : crsNamed(options.filterCrs);
  const given = options.sourceCrs === undefined ? null : crsNamed(options.sourceCrs);
  const asked = parsed === null ? null : isParsed(parsed) ? parsed.expr : parsed;
  const counted = await countedThere(file, options, asked, asOf, (columns) => parsed && checkFilter(parsed, columns));
  if (counted) return counted;
  // The numbers of the stack are about all features.
  const isPushable = !options.explain && !options.check && options.filterCrs === undefined;
  const service = await readElsewhere(file, options.layer, isPushable ? asked : null);
  const { table: read, notes } = service ?? (await readFile(file, options, given));
  const joined = await withJoins(read, options);
  const derived = derivedOf(options.derive ?? [], joined.table, asOf);
  const { table } = derived;
  const others = await otherSources(options.with ?? []);
  if (parsed)
    checkFilter(parsed, table.columns, {
      projected: !isGeographic(filterCrs),
      operands: { sources: [...others.keys()], sieves: [] },
    });
  const expr = asked;
  const geos = expr !== null && needsEngine(expr) ? await Geos.open() : null;
  const sifter = new Sifter(table, asOf, filterCrs, geos);
  sifter.operands = new Map([...others].map(([name, other]) => [`SOURCE ${name}`, { key: name, table: other, rows: null }]));
  if (options.check)
    return {
      findings: expr === null ? [] : checked(sifter, expr, parsed !== null && isParsed(parsed) ? parsed : null),
    };
  const verdict = expr === null ? null : sifter.verdict(expr);
  const yes = verdict?.yes ?? fullMask(table.rows);
  const losses = outFormat ? await writeOut(options.out!, outFormat, table, rowsOf(yes), options) : [];
  return {
    read: table.rows,
    kept: count(yes),
    unknown: service && service.pushed !== null ? null : verdict ? count(unknownOf(verdict)) : 0,
    ...(service
      ? { pushed: service.pushed, here: isPushable ? service.here : asked === null ? null : printFilter(asked), fetched: service.fetched }
      : {}),
    ...(options.out === undefined ? {} : { out: options.out }),
    ...(joined.told.length > 0 ? { joined: joined.told } : {}),
    ...(derived.told.length > 0 ? { derived: derived.told } : {}),
    ...(options.explain && expr !== null ? { stack: stackHere(sifter, expr) } : {}),
    ...(notes.length > 0 ? { notes } : {}),
    ...(losses.length > 0 ? { losses } : {}),
  };
}

/** The table with computed columns, each of which can be made of those before it. */
function derivedOf(given: string[], read: FeatureTable, asOf: number) {
  let table = read;
  const told: NonNullable<SiftCounts['derived']> = [];
  for (const pair of given) {
    const [, quoted, text] = /^\s*([^=]+?)\s*=\s*(.+)$/s.exec(pair) ?? [];
    if (!quoted) throw new UsageError(`--derive ${pair} is not a name and an expression; write it as in --derive 'ratio = hours / visits'`);
    const name = /^".*"$/.test(quoted) ? quoted.slice(1, -1) : quoted;
    if (name === GEOMETRY_NAME || table.columns.some((column) => column.name === name))
      throw new UsageError(`--derive ${name}: there is a column of that name already; choose another`);
    const parsed = parseFilter(text);
    checkComputed(parsed, table);
    const derivation = { kind: 'computed' as const, expr: parsed.expr, unit: null, asOf: null };
    const { column, blanks } = derivedColumn(table, { name, derivation }, { asOf });
    table = { ...table, columns: [...table.columns, column] };
    told.push({ name, type: column.type, blanks: blanks.map(({ reason, rows }) => ({ reason, rows })) });
  }
  return { table, told };
}

/** The files that a filter can speak of as sources. */
async function otherSources(given: string[]): Promise<Map<string, FeatureTable>> {
  const tables = new Map<string, FeatureTable>();
  for (const pair of given) {
    const [, name, file] = /^([^=]+)=(.+)$/.exec(pair) ?? [];
    if (!name) throw new UsageError(`--with ${pair} is not a name and a file; write it as in paths=paths.zip`);
    if (tables.has(name)) throw new UsageError(`--with names ${name} twice`);
    tables.set(name, (await readFile(file, {}, null)).table);
  }
  return tables;
}

export interface CheckedFilter {
  findings: { condition: string; kind: string; message: string; fix?: string; filter?: string }[];
}

/** What is probably not meant in a filter; nothing is written. */
function checked(sifter: Sifter, expr: Expr, text: Parsed | null): CheckedFilter['findings'] {
  let next = 0;
  const today = Math.floor(Date.now() / DAY_MILLIS);
  const tree = treeOfExpr(expr, emptyTree(), () => `n${next++}`);
  const ofReadings = (text ? twoReadings(text) : []).flatMap(({ andFirst, orFirst }) =>
    [andFirst, orFirst].map((reading, i) => ({
      condition: printFilter(expr),
      kind: 'two-readings',
      message: `AND and OR stand side by side without brackets; read with ${i === 0 ? 'AND first, as here' : 'OR first'}, ${count(sifter.verdict(reading).yes)} features are kept`,
      fix: 'write the brackets',
      filter: printFilter(reading),
    })),
  );
  const ofConditions = findingsOf(sifter, tree, siftTree(sifter, tree).rows, today).map(({ id, kind, message, fix }) => {
    const { node } = findNode(tree, id)!;
    const mended = fix && !fix.asOfToday && exprOfTree(fix.tree);
    const needs = fix?.derive ? ` (needs ${fix.derive.derivation.from} as ${fix.derive.derivation.as} in ${fix.derive.name})` : '';
    return {
      condition: node.kind === 'condition' ? printFilter(node.expr) : '',
      kind,
      message,
      ...(fix ? { fix: fix.label + needs } : {}),
      ...(mended ? { filter: printFilter(mended) } : {}),
    };
  });
  return [...ofReadings, ...ofConditions];
}

/** CQL2 Text, or CQL2 JSON where the filter begins with a brace. */
export function readFilter(text: string): Parsed | Expr {
  return text.trimStart().startsWith('{') ? parseFilterJson(text) : parseFilter(text);
}

/**
 * Where nothing is written a database counts, and only what it cannot decide a condition on comes over. Null where it cannot, and for
 * what is about more than its table.
 * @param fits given the columns of the table, throws a FilterError for a filter that does not fit them
 */
async function countedThere(
  file: string,
  options: SiftOptions,
  expr: Expr | null,
  asOf: number,
  fits: (columns: ColumnSchema[]) => void,
): Promise<SiftCounts | null> {
  const { out, check, filterCrs, derive = [], join = [], with: others = [] } = options;
  const isMore = out !== undefined || check === true || filterCrs !== undefined;
  if (!isDatabase(file) || isMore || derive.length + join.length + others.length > 0) return null;
  const tree = treeOf(expr);
  const counted = await countInDatabase(file, options.layer, tree, asOf, fits, options.explain === true);
  if (!counted) return null;
  const { total, kept, unknown, pushed, here, came, stack } = counted;
  return {
    ...{ read: total, kept, unknown, pushed, here, fetched: came },
    ...(stack && expr !== null ? { stack: linesOf(tree, stack) } : {}),
  };
}

function treeOf(expr: Expr | null): Group {
  let next = 0;
  return treeOfExpr(expr, emptyTree(), () => `n${next++}`);
}

function stackHere(sifter: Sifter, expr: Expr): StackLine[] {
  const tree = treeOf(expr);
  const without: Record<string, number> = {};
  withoutEach(sifter, tree, (node, verdict) => (without[node.id] = count(verdict.yes)));
  return linesOf(tree, { ...siftTree(sifter, tree), without });
}

function linesOf(tree: Group, { rows, without }: Pick<StackOfCombinations, 'rows' | 'without'>): StackLine[] {
  const lines: StackLine[] = [];
  const add = (node: TreeNode, level: number) => {
    const row = rows.find(({ id }) => id === node.id);
    if (row) {
      const { reach, left, unknown, alone } = row;
      const condition = node.kind === 'condition' ? printFilter(node.expr) : `${node.combine} of`;
      lines.push({ level, condition, reach, left, unknown, alone, without: without[node.id] });
    }
    if (node.kind === 'group') node.children.forEach((child) => add(child, level + 1));
  };
  add(tree, 0);
  return lines;
}

/** The day that a date names, as days since 1970-01-01. */
export function readDay(text: string): number {
  const date = parseDate(text);
  if (date?.precision !== 'day') throw new UsageError(`--as-of ${text} is not a date; write it as in 2024-05-31`);
  return date.day;
}
