import { typeOffers, type TypedDerivation } from '../derive/typed_column.ts';
import { datePrecision, type Column } from '../features/column.ts';
import { count, has } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import { call, isCall, isProperty, property, sameExpr, type Expr } from '../filters/ast.ts';
import { nearestName } from '../filters/nearest_name.ts';
import { exprOfForm, formOfExpr, isSpaceForm, placeOf, type Form } from '../filters/form.ts';
import { exprOfTree, insertNode, nodesIn, replaceNode, type Condition, type Group } from '../filters/tree.ts';
import { columnInWords, dayInWords, numberInWords } from '../filters/phrases.ts';
import { dayOf } from '../filters/words.ts';
import { DAY_MILLIS, dayAfter, formatDay, parseDate } from '../time/calendar.ts';
import { lastPeriod, nextPeriod } from '../time/period.ts';
import type { Sifter } from './sifter.ts';
import type { StackRow } from './stack.ts';

/** Something about a condition that is probably not meant, in a sentence, with a change that mends it. */
export interface Finding {
  /** The condition that it is about. */
  id: string;
  kind:
    | 'contradiction'
    | 'wildcard'
    | 'upside-down'
    | 'nothing-out'
    | 'repeated'
    | 'no-such-value'
    | 'blanks-out'
    | 'as-text'
    | 'beyond-values'
    | 'period-in-part'
    | 'as-of-past'
    | 'own-source';
  message: string;
  fix: Fix | null;
}

/** A change that mends it. */
export interface Fix {
  label: string;
  tree: Group;
  /** A typed column that the changed tree needs, to be made first. */
  derive?: { name: string; derivation: TypedDerivation };
  /** The tree stays; what changes is that relative dates count from today. */
  asOfToday?: true;
}

/** Distinct texts among which a nearest spelling is looked for; more would be felt while typing. */
const MOST_TEXTS = 20_000;

/**
 * Looks through the conditions at work.
 * @param rows the stack's numbers for the same tree
 * @param today the present day where the as-of date is fixed; null where it is today
 */
export function findingsOf(sifter: Sifter, root: Group, rows: readonly StackRow[], today: number | null = null): Finding[] {
  const found: Finding[] = [];
  const columns = sifter.table.columns;
  for (const { node, parent } of nodesIn(root)) {
    if (node.kind !== 'condition' || exprOfTree(node) === null || parent.off) continue;
    const form = formOfExpr(node.expr, columns);
    const change = (label: string, next: Form) => ({ label, tree: withExpr(root, node.id, exprOfForm(next)) });
    const row = rows.find(({ id }) => id === node.id);
    const own: (Omit<Finding, 'id'> | null)[] = [
      ownSource(root, node, form, row, sifter),
      repeated(root, parent, node),
      contradiction(root, parent, node, sifter),
      upsideDown(form, change),
      wildcard(form, sifter, change),
      missingValue(form, sifter, change),
      missingNumber(form, sifter, change),
      comparedAsText(root, node.id, form, sifter),
      longPast(root, form, sifter.asOf, today),
      beyondValues(form, sifter, change),
      periodInPart(form, sifter, change),
      blanksOut(form, row, change),
    ];
    const first = own.find((finding) => finding !== null) ?? nothingOut(root, parent, node, form, row, sifter);
    if (first) found.push({ id: node.id, ...first });
  }
  return found;
}

/** A relation to a sieve of the same source, which keeps none because a feature is not compared with itself. */
function ownSource(root: Group, node: Condition, form: Form, row: StackRow | undefined, sifter: Sifter): Omit<Finding, 'id'> | null {
  if (!isSpaceForm(form) || row === undefined) return null;
  const place = placeOf(form);
  if (!('op' in place) || place.op !== 'SIEVE') return null;
  const [name] = place.args;
  if (sifter.operands.get(`SIEVE ${name}`)?.table !== sifter.table) return null;
  // To be near others of the same source is a good question; to be one of them is another.
  const isOne = form.kind === 'area' && form.relation !== 's_touches';
  if (!isOne && row.alone > 0) return null;
  const meant: Form = { kind: 'sieve', name, outside: form.outside, blanks: false };
  const { alone } = row;
  const kept = count(sifter.verdict(exprOfForm({ ...meant, outside: false })).yes);
  return {
    kind: 'own-source',
    message: `${name} is a sieve of the same source, and no feature is compared with itself here: this keeps ${numberInWords(alone)} by itself. ${name} keeps ${numberInWords(kept)}.`,
    fix: { label: form.outside ? `not kept by ${name}` : `also kept by ${name}`, tree: withExpr(root, node.id, exprOfForm(meant)) },
  };
}

function withExpr(root: Group, id: string, expr: Expr): Group {
  return replaceNode(root, id, (node) => (node.kind === 'condition' ? { ...node, expr } : node));
}

function without(root: Group, id: string): Group {
  return replaceNode(root, id, () => null);
}

/** Active conditions of the group that stand before this one. */
function earlier(parent: Group, node: Condition): Condition[] {
  const before = parent.children.slice(0, parent.children.indexOf(node));
  return before.filter((other): other is Condition => other.kind === 'condition' && !other.off);
}

function repeated(root: Group, parent: Group, node: Condition): Omit<Finding, 'id'> | null {
  if (!earlier(parent, node).some((other) => sameExpr(other.expr, node.expr))) return null;
  return {
    kind: 'repeated',
    message: 'This repeats a condition above.',
    fix: { label: 'remove it', tree: without(root, node.id) },
  };
}

/** The values that a condition lets through: `c = v` and `c IN (…)`. */
function allowedValues(expr: Expr): { column: string; values: (string | number)[] } | null {
  const plain = (value: Expr): value is string | number => typeof value === 'string' || typeof value === 'number';
  if (!isCall(expr, '=', 'in') || !isProperty(expr.args[0])) return null;
  const values = expr.op === 'in' ? (expr.args[1] as Expr[]) : [expr.args[1]];
  return values.every(plain) ? { column: expr.args[0].property, values } : null;
}

/** Two conditions on one column, side by side in "all of", that no feature can fulfil both. */
function contradiction(root: Group, parent: Group, node: Condition, sifter: Sifter): Omit<Finding, 'id'> | null {
  if (parent.combine !== 'all') return null;
  const mine = allowedValues(node.expr);
  for (const other of earlier(parent, node)) {
    const theirs = allowedValues(other.expr);
    if (mine && theirs && mine.column === theirs.column && !mine.values.some((value) => theirs.values.includes(value))) {
      const values = [...theirs.values, ...mine.values];
      const merged = withExpr(without(root, node.id), other.id, call('in', property(mine.column), values));
      return {
        kind: 'contradiction',
        message: `${columnInWords(mine.column)} cannot be ${theirs.values.join(' or ')} and ${mine.values.join(' or ')} at once.`,
        fix: { label: 'keep either', tree: merged },
      };
    }
    const [a, b] = [rangeOf(other.expr, sifter), rangeOf(node.expr, sifter)];
    if (!a || !b || a.column !== b.column || (a.low <= b.high && b.low <= a.high)) continue;
    const group: Group = { kind: 'group', id: `${other.id}-${node.id}`, combine: 'any', children: [other, node] };
    const at = parent.children.indexOf(other);
    const tree = insertNode(without(without(root, node.id), other.id), parent.id, group, at);
    return {
      kind: 'contradiction',
      message: `No ${columnInWords(a.column).toLowerCase()} is in both ranges at once.`,
      fix: { label: 'keep either', tree },
    };
  }
  return null;
}

function rangeOf(expr: Expr, sifter: Sifter): { column: string; low: number; high: number } | null {
  const form = formOfExpr(expr, sifter.table.columns);
  if (form.blanks) return null;
  if (form.kind === 'between' && !form.outside && form.low <= form.high) return form;
  if (form.kind !== 'compare' || typeof form.value !== 'number') return null;
  if (form.op === '>=' || form.op === '>') return { column: form.column, low: form.value, high: Infinity };
  return form.op === '<=' || form.op === '<' ? { column: form.column, low: -Infinity, high: form.value } : null;
}

type Change = (label: string, next: Form) => Fix;

function upsideDown(form: Form, change: Change): Omit<Finding, 'id'> | null {
  if (form.kind === 'between' && form.low > form.high)
    return {
      kind: 'upside-down',
      message: `${numberInWords(form.low)} is above ${numberInWords(form.high)}, so nothing lies between them.`,
      fix: change('swap them', { ...form, low: form.high, high: form.low }),
    };
  if (form.kind === 'days' && form.from !== null && form.to !== null && form.from > form.to)
    return {
      kind: 'upside-down',
      message: 'The first day comes after the last, so no day lies between them.',
      fix: change('swap them', { ...form, from: form.to, to: form.from }),
    };
  return null;
}

/** `=` with % or *, which it takes as they are. */
function wildcard(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  if (form.kind !== 'compare' || form.op !== '=' || typeof form.value !== 'string' || !/[%*]/.test(form.value)) return null;
  if (occurs(sifter, form.column, form.value)) return null;
  const pattern = form.value.replaceAll('*', '%');
  const like = call('like', property(form.column), pattern);
  const kept = count(sifter.verdict(like).yes);
  return {
    kind: 'wildcard',
    message: `“Is exactly” takes ${/%/.test(form.value) ? '%' : '*'} as a character like any other. As a pattern this would keep ${kept} of all.`,
    fix: change('make it a pattern', formOfExpr(like, sifter.table.columns)),
  };
}

function occurs(sifter: Sifter, name: string, value: string): boolean {
  const dictionary = columnNamed(sifter.table, name)?.dictionary;
  return !dictionary || dictionary.find(value) >= 0;
}

/** Numbers of a longer list are not looked up one by one. */
const MOST_NUMBERS = 50;

/** A number that no feature has. */
function missingNumber(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  const asked = form.kind === 'values' ? form.values : form.kind === 'compare' && form.op === '=' ? [form.value] : [];
  const column = 'column' in form ? columnNamed(sifter.table, form.column) : undefined;
  if (column?.type !== 'number' || asked.length > MOST_NUMBERS) return null;
  const missing = asked.find(
    (value): value is number => typeof value === 'number' && count(sifter.verdict(call('=', property(column.name), value)).yes) === 0,
  );
  const near = missing === undefined ? null : nearestNumber(column, missing);
  if (missing === undefined || near === null) return null;
  return {
    kind: 'no-such-value',
    message: `No feature has ${numberInWords(missing)} in ${columnInWords(column.name).toLowerCase()}; the nearest is ${numberInWords(near)}.`,
    fix: change(
      `take ${numberInWords(near)}`,
      form.kind === 'values'
        ? { ...form, values: [...new Set(form.values.map((value) => (value === missing ? near : value)))] }
        : { ...(form as Extract<Form, { kind: 'compare' }>), value: near },
    ),
  };
}

function nearestNumber(column: Column, wanted: number): number | null {
  let near: number | null = null;
  for (const chunk of column.chunks) {
    if (chunk.type !== 'number') continue;
    for (let i = 0; i < chunk.rows; i++) {
      const value = chunk.values[i];
      if ((chunk.validity && !has(chunk.validity, i)) || Number.isNaN(value)) continue;
      if (near === null || Math.abs(value - wanted) < Math.abs(near - wanted)) near = value;
    }
  }
  return near;
}

/** A text that no feature has. */
function missingValue(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  const asked = form.kind === 'values' ? form.values : form.kind === 'compare' && form.op === '=' ? [form.value] : [];
  const column = 'column' in form ? columnNamed(sifter.table, form.column) : undefined;
  if (!column?.dictionary) return null;
  const missing = asked.find((value): value is string => typeof value === 'string' && !occurs(sifter, column.name, value));
  if (missing === undefined || missing === '') return null;
  const near = nearestText(column, missing);
  const replaced = (value: string | number) => (value === missing ? near! : value);
  return {
    kind: 'no-such-value',
    message: `No feature has “${missing}” in ${columnInWords(column.name).toLowerCase()}.${near === null ? '' : ` There is “${near}”.`}`,
    fix:
      near === null
        ? null
        : change(
            `take “${near}”`,
            form.kind === 'values'
              ? { ...form, values: [...new Set(form.values.map(replaced))] }
              : { ...(form as Extract<Form, { kind: 'compare' }>), value: near },
          ),
  };
}

function nearestText({ dictionary }: Column, value: string): string | null {
  if (!dictionary || dictionary.size > MOST_TEXTS) return null;
  return nearestName(
    value,
    Array.from({ length: dictionary.size }, (_, code) => dictionary.at(code)),
  );
}

/** An order of texts that look like numbers: "9" comes after "10". */
function comparedAsText(root: Group, id: string, form: Form, sifter: Sifter): Omit<Finding, 'id'> | null {
  if (form.kind !== 'compare' || typeof form.value !== 'string' || !/^[<>]=?$/.test(form.op)) return null;
  const column = columnNamed(sifter.table, form.column);
  if (!/^\s*[+-]?\d+([.,]\d+)?\s*$/.test(form.value) || column?.type !== 'text') return null;
  return {
    kind: 'as-text',
    message: `${columnInWords(form.column)} is text, and texts are compared by character: “9” comes after “10”. A typed column beside it compares as numbers.`,
    fix: asNumber(root, id, form, column, sifter),
  };
}

/** The same comparison on a number column made of the texts; on the one there is, if it was made before. */
function asNumber(root: Group, id: string, form: Extract<Form, { kind: 'compare' }>, column: Column, { table }: Sifter): Fix | null {
  const derivation = typeOffers(column).find((offer) => offer.derivation.as === 'number')?.derivation;
  if (!derivation) return null;
  const name = `${column.name}_number`;
  const there = columnNamed(table, name);
  if (there && there.type !== 'number') return null;
  const value = Number(String(form.value).replace(',', '.'));
  const tree = withExpr(root, id, exprOfForm({ ...form, column: name, value }));
  return { label: 'compare as numbers', tree, ...(there ? {} : { derive: { name, derivation } }) };
}

/** Days by which a fixed as-of date may lag behind before it is worth a word. */
const FRESH_DAYS = 31;

/** A relative date that counts from a day long past. */
function longPast(root: Group, form: Form, asOf: number, today: number | null): Omit<Finding, 'id'> | null {
  const relative = form.kind === 'recent' || (form.kind === 'day' && 'shift' in form.day);
  if (!relative || today === null || today - asOf <= FRESH_DAYS) return null;
  return {
    kind: 'as-of-past',
    message: `This counts from ${dayInWords(formatDay(asOf))}, the fixed as-of date, ${numberInWords(today - asOf)} days ago.`,
    fix: { label: 'count from today', tree: root, asOfToday: true },
  };
}

/** A bound that lies beyond every value of the column. */
function beyondValues(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  const range = 'column' in form ? valueRange(columnNamed(sifter.table, form.column)) : null;
  const asked = range && askedRange(form, sifter.asOf);
  if (!range || !asked || (asked.low <= range.high && asked.high >= range.low)) return null;
  const above = asked.low > range.high;
  const nearest = above ? range.high : range.low;
  const said = (value: number) => (range.days ? dayInWords(formatDay(value)) : numberInWords(value));
  return {
    kind: 'beyond-values',
    message: `No ${columnInWords((form as { column: string }).column).toLowerCase()} is ${above ? (range.days ? 'that late' : 'that large') : range.days ? 'that early' : 'that small'}: the values run from ${said(range.low)} to ${said(range.high)}.`,
    fix: boundMoved(form, nearest, above, change, said(nearest)),
  };
}

function boundMoved(form: Form, nearest: number, above: boolean, change: Change, said: string): Fix | null {
  const label = `take ${said}`;
  if (form.kind === 'compare') return change(label, { ...form, op: above ? '>=' : '<=', value: nearest });
  if (form.kind === 'between') return change(label, { ...form, [above ? 'low' : 'high']: nearest });
  const day = formatDay(nearest);
  if (form.kind === 'day') return change(label, { ...form, test: above ? 'from' : 'until', day: { date: day } });
  if (form.kind === 'days') return change(label, { ...form, [above ? 'from' : 'to']: day });
  return null;
}

/** Smallest and largest value of a column of numbers, or first and last day of one of times. */
function valueRange(column: Column | undefined): { low: number; high: number; days: boolean } | null {
  let [low, high] = [Infinity, -Infinity];
  for (const chunk of column?.chunks ?? []) {
    if (!('min' in chunk)) return null;
    [low, high] = [Math.min(low, chunk.min), Math.max(high, lastOf(chunk))];
  }
  if (low > high) return null;
  return column!.type === 'datetime'
    ? { low: Math.floor(low / DAY_MILLIS), high: Math.floor(high / DAY_MILLIS), days: true }
    : { low, high, days: column!.type === 'date' };
}

/** The largest value a chunk can mean: of dates known to the year only, the last day of the year. */
function lastOf(chunk: Extract<Column['chunks'][number], { max: number }>): number {
  if (chunk.type !== 'date' || !chunk.precision) return chunk.max;
  let last = chunk.max;
  for (let i = 0; i < chunk.rows; i++) last = Math.max(last, dayAfter(chunk.days[i], datePrecision(chunk, i)) - 1);
  return last;
}

/** The values that a condition asks for, days for times; null when it is not a range. */
function askedRange(form: Form, asOf: number): { low: number; high: number } | null {
  const ends = (from: string | null, to: string | null) => ({
    low: from === null ? -Infinity : parseDate(from)!.day,
    high: to === null ? Infinity : parseDate(to)!.day,
  });
  if (form.blanks) return null;
  switch (form.kind) {
    case 'compare':
      if (typeof form.value !== 'number' || form.op === '=' || form.op === '<>') return null;
      return form.op.startsWith('>') ? { low: form.value, high: Infinity } : { low: -Infinity, high: form.value };
    case 'between':
      return form.outside || form.low > form.high ? null : form;
    case 'day': {
      const { day } = parseDate(dayOf(form.day, asOf))!;
      if (form.test === 'on') return null;
      if (form.test === 'after' || form.test === 'from') return { low: day, high: Infinity };
      return { low: -Infinity, high: day };
    }
    case 'days':
      return form.outside || (form.from !== null && form.to !== null && form.from > form.to) ? null : ends(form.from, form.to);
    case 'recent': {
      if (form.outside) return null;
      const period = (form.side === 'last' ? lastPeriod : nextPeriod)(asOf, form.amount, form.unit);
      return { low: period.start / DAY_MILLIS, high: period.end / DAY_MILLIS - 1 };
    }
    default:
      return null;
  }
}

/** Shares of a period below which what the source does not cover goes without a word. */
const COVERED = 0.9;

/** A period of which the source has only a part. */
function periodInPart(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  if (form.kind !== 'days' && form.kind !== 'recent') return null;
  const range = valueRange(columnNamed(sifter.table, form.column));
  const asked = range && askedRange(form, sifter.asOf);
  if (!range || !asked || !Number.isFinite(asked.high - asked.low)) return null;
  const [low, high] = [Math.max(asked.low, range.low), Math.min(asked.high, range.high)];
  if (low > high || (high - low + 1) / (asked.high - asked.low + 1) >= COVERED) return null;
  const [from, to] = [formatDay(low), formatDay(high)];
  return {
    kind: 'period-in-part',
    message: `The source has ${columnInWords(form.column).toLowerCase()} only from ${dayInWords(formatDay(range.low))} to ${dayInWords(formatDay(range.high))}, so part of this period is not covered.`,
    fix: change(`ask for ${dayInWords(from)} to ${dayInWords(to)}`, { ...base(form), kind: 'days', from, to, outside: false }),
  };
}

const base = ({ column, blanks }: { column: string; blanks: boolean }) => ({ column, blanks });

/** "Is not" and "none of" leave blanks out, which is often not meant. */
function blanksOut(form: Form, row: StackRow | undefined, change: Change): Omit<Finding, 'id'> | null {
  const negative =
    (form.kind === 'compare' && form.op === '<>') || (form.kind === 'values' && form.none) || (form.kind === 'text' && form.not);
  if (!negative || form.blanks || !row || row.unknown === 0) return null;
  return {
    kind: 'blanks-out',
    message: `${numberInWords(row.unknown)} blank ${row.unknown === 1 ? 'one is' : 'ones are'} left out too: a blank is not known to be anything else.`,
    fix: change('keep the blanks', { ...form, blanks: true }),
  };
}

/** A condition that keeps all that reach it. */
function nothingOut(
  root: Group,
  parent: Group,
  node: Condition,
  form: Form,
  row: StackRow | undefined,
  sifter: Sifter,
): Omit<Finding, 'id'> | null {
  if (parent.combine !== 'all' || !row || row.reach === 0 || row.left < row.reach) return null;
  const column = 'column' in form ? columnNamed(sifter.table, form.column) : undefined;
  const range = column?.type === 'number' && row.reach === sifter.table.rows ? ` Its values run from ${ends(column)}.` : '';
  return {
    kind: 'nothing-out',
    message: `This leaves nothing out: all that reach it are kept.${range}`,
    fix: { label: 'remove it', tree: without(root, node.id) },
  };
}

function ends(column: Column): string {
  let [low, high] = [Infinity, -Infinity];
  for (const chunk of column.chunks) if (chunk.type === 'number') [low, high] = [Math.min(low, chunk.min), Math.max(high, chunk.max)];
  return `${numberInWords(low)} to ${numberInWords(high)}`;
}
