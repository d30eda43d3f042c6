import {
  activeConditions,
  conditionSpans,
  exprOfTree,
  FilterError,
  layOutFilter,
  parseFilter,
  printFilter,
  sameExpr,
  type Expr,
  type Group,
  type Parsed,
  type Span,
} from '@clean-sieve/core';

/** A stretch of the text to be replaced. */
export interface Change {
  from: number;
  to: number;
  insert: string;
}

export function parsedOrNull(text: string): Parsed | null {
  try {
    return text.trim() === '' ? null : parseFilter(text);
  } catch (error) {
    if (error instanceof FilterError) return null;
    throw error;
  }
}

/** The expression in brackets unless it is one test, so that it can stand anywhere. */
function standingAlone(expr: Expr): string {
  const text = printFilter(expr);
  return typeof expr === 'object' && 'op' in expr && ['and', 'or', 'not'].includes(expr.op) ? `(${text})` : text;
}

/**
 * What to change in a text so that it says the tree: only the conditions that differ where that is enough, so that
 * lines, brackets and spelling stay as they were written; otherwise all of it.
 */
export function changesTo(text: string, tree: Group): Change[] {
  const next = exprOfTree(tree);
  const whole = [{ from: 0, to: text.length, insert: next === null ? '' : layOutFilter(next) }];
  const parsed = parsedOrNull(text);
  if (next === null || !parsed) return whole;
  if (sameExpr(parsed.expr, next)) return [];
  const spans = conditionSpans(parsed);
  const conditions = activeConditions(tree);
  if (spans.length !== conditions.length) return whole;
  const changes = spans.flatMap(({ from, to }, i) => {
    const said = parsedOrNull(text.slice(from, to));
    return said && sameExpr(said.expr, conditions[i].expr) ? [] : [{ from, to, insert: standingAlone(conditions[i].expr) }];
  });
  const after = parsedOrNull(changed(text, changes));
  return after && sameExpr(after.expr, next) ? changes : whole;
}

export function changed(text: string, changes: Change[]): string {
  return [...changes].reverse().reduce((done, { from, to, insert }) => done.slice(0, from) + insert + done.slice(to), text);
}

/** Where each condition of the tree stands in a text that says the same as the tree; empty when it says another. */
export function placesOf(text: string, tree: Group): { id: string; span: Span }[] {
  const parsed = parsedOrNull(text);
  const expr = exprOfTree(tree);
  if (!parsed || expr === null || !sameExpr(parsed.expr, expr)) return [];
  const spans = conditionSpans(parsed);
  const conditions = activeConditions(tree);
  return spans.length === conditions.length ? conditions.map(({ id }, i) => ({ id, span: spans[i] })) : [];
}
