import type { Column } from '../features/column.ts';
import { count } from '../features/mask.ts';
import { columnNamed } from '../features/table.ts';
import { call, isCall, isProperty, property, sameExpr, type Expr } from '../filters/ast.ts';
import { nearestName } from '../filters/check.ts';
import { exprOfForm, formOfExpr, type Form } from '../filters/form.ts';
import { exprOfTree, insertNode, nodesIn, replaceNode, type Condition, type Group } from '../filters/tree.ts';
import { columnInWords, numberInWords } from '../filters/words.ts';
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
    | 'as-text';
  message: string;
  fix: { label: string; tree: Group } | null;
}

/** Distinct texts among which a nearest spelling is looked for; more would be felt while typing. */
const MOST_TEXTS = 20_000;

/** Looks through the conditions at work. @param rows the stack's numbers for the same tree */
export function findingsOf(sifter: Sifter, root: Group, rows: readonly StackRow[]): Finding[] {
  const found: Finding[] = [];
  const columns = sifter.table.columns;
  for (const { node, parent } of nodesIn(root)) {
    if (node.kind !== 'condition' || exprOfTree(node) === null || parent.off) continue;
    const form = formOfExpr(node.expr, columns);
    const change = (label: string, next: Form) => ({ label, tree: withExpr(root, node.id, exprOfForm(next)) });
    const row = rows.find(({ id }) => id === node.id);
    const own: (Omit<Finding, 'id'> | null)[] = [
      repeated(root, parent, node),
      contradiction(root, parent, node, sifter),
      upsideDown(form, change),
      wildcard(form, sifter, change),
      missingValue(form, sifter, change),
      comparedAsText(form, sifter),
      blanksOut(form, row, change),
    ];
    const first = own.find((finding) => finding !== null) ?? nothingOut(root, parent, node, form, row, sifter);
    if (first) found.push({ id: node.id, ...first });
  }
  return found;
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
    if (
      mine &&
      theirs &&
      mine.column === theirs.column &&
      !mine.values.some((value) => theirs.values.includes(value))
    ) {
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

type Change = (label: string, next: Form) => { label: string; tree: Group };

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

/** `=` with % or _, which it takes as they are. */
function wildcard(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  if (form.kind !== 'compare' || form.op !== '=' || typeof form.value !== 'string' || !/[%*]/.test(form.value))
    return null;
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

/** A text that no feature has. */
function missingValue(form: Form, sifter: Sifter, change: Change): Omit<Finding, 'id'> | null {
  const asked = form.kind === 'values' ? form.values : form.kind === 'compare' && form.op === '=' ? [form.value] : [];
  const column = 'column' in form ? columnNamed(sifter.table, form.column) : undefined;
  if (!column?.dictionary) return null;
  const missing = asked.find(
    (value): value is string => typeof value === 'string' && !occurs(sifter, column.name, value),
  );
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
function comparedAsText(form: Form, sifter: Sifter): Omit<Finding, 'id'> | null {
  if (form.kind !== 'compare' || typeof form.value !== 'string' || !/^[<>]=?$/.test(form.op)) return null;
  if (!/^\s*[+-]?\d+([.,]\d+)?\s*$/.test(form.value) || columnNamed(sifter.table, form.column)?.type !== 'text')
    return null;
  return {
    kind: 'as-text',
    message: `${columnInWords(form.column)} is text, and texts are compared by character: “9” comes after “10”. A typed column beside it compares as numbers.`,
    fix: null,
  };
}

/** "Is not" and "none of" leave blanks out, which is often not meant. */
function blanksOut(form: Form, row: StackRow | undefined, change: Change): Omit<Finding, 'id'> | null {
  const negative = (form.kind === 'compare' && form.op === '<>') || (form.kind === 'values' && form.none) || (form.kind === 'text' && form.not); // prettier-ignore
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
  const range =
    column?.type === 'number' && row.reach === sifter.table.rows ? ` Its values run from ${ends(column)}.` : '';
  return {
    kind: 'nothing-out',
    message: `This leaves nothing out: all that reach it are kept.${range}`,
    fix: { label: 'remove it', tree: without(root, node.id) },
  };
}

function ends(column: Column): string {
  let [low, high] = [Infinity, -Infinity];
  for (const chunk of column.chunks)
    if (chunk.type === 'number') [low, high] = [Math.min(low, chunk.min), Math.max(high, chunk.max)];
  return `${numberInWords(low)} to ${numberInWords(high)}`;
}
