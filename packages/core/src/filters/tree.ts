import { operatorNamed } from '../operators/operator_registry.ts';
import { call, isCall, isProperty, sameExpr, type Call, type Expr } from './ast.ts';
import type { Span } from './filter_error.ts';
import type { Parsed } from './parser.ts';

/** How a group combines its members: all of them, any of them, none of them. */
export type Combine = 'all' | 'any' | 'none';

/** One test on a feature. */
export interface Condition {
  kind: 'condition';
  /** Stays with the condition through edits. */
  id: string;
  expr: Expr;
  /** Switched off: kept, but without effect. CQL2 cannot say this, so it lives beside the text. */
  off?: boolean;
  /** What is shown of the features that it is about, as columns beside the source's own. */
  shows?: readonly MatchColumn[];
}

/** Of a condition in space: how many features it matches, which, and how far the nearest is. */
export const MATCH_COLUMNS = ['count', 'ids', 'nearest'] as const;
export type MatchColumn = (typeof MATCH_COLUMNS)[number];

/** Several conditions and groups, joined: all of them, any of them, or none of them holds. */
export interface Group {
  kind: 'group';
  id: string;
  combine: Combine;
  children: TreeNode[];
  off?: boolean;
}
export type TreeNode = Condition | Group;

export const ROOT = 'root';

/** A tree without conditions, which keeps every feature. */
export function emptyTree(): Group {
  return { kind: 'group', id: ROOT, combine: 'all', children: [] };
}

/** The expression that a tree stands for: switched-off nodes and empty groups left out; null keeps everything. */
export function exprOfTree(node: TreeNode): Expr | null {
  if (node.off) return null;
  if (node.kind === 'condition') return node.expr;
  const parts = node.children.map(exprOfTree).filter((expr) => expr !== null);
  if (parts.length === 0) return null;
  if (node.combine === 'none') return call('not', parts.length === 1 ? parts[0] : call('or', ...parts));
  return parts.length === 1 ? parts[0] : call(node.combine === 'all' ? 'and' : 'or', ...parts);
}

/** `test OR column IS NULL`, which the interface shows as one condition that keeps blanks: the test, or null. */
export function withoutBlanks(expr: Expr): { test: Expr; column: string } | null {
  if (!isCall(expr, 'or') || expr.args.length !== 2) return null;
  const [test, blank] = expr.args;
  if (!isCall(blank, 'isNull') || !isProperty(blank.args[0]) || isCall(test, 'or', 'and')) return null;
  const column = blank.args[0].property;
  return JSON.stringify(test).includes(JSON.stringify({ property: column })) ? { test, column } : null;
}

/** A test that also keeps what has no value in the column. */
export const withBlanks = (test: Expr, column: string): Call => call('or', test, call('isNull', { property: column }));

/**
 * The tree of an expression. Nodes of `before` that say the same keep their identity, and what was switched off in it
 * stays where it was.
 * @param newId gives an id not used yet
 */
export function treeOfExpr(expr: Expr | null, before: Group, newId: () => string): Group {
  const root = expr === null ? emptyTree() : rootOf(nodeOf(expr, newId));
  return reconcile(root, before);
}

/**
 * Where the conditions of a text's tree stand in it, in the order of the tree: the n-th place belongs to the n-th
 * condition at work.
 */
export function conditionSpans(parsed: Parsed): Span[] {
  const spans: Span[] = [];
  const visit = (expr: Expr, span: Span) => {
    const parts = isCall(expr) ? (parsed.argSpans.get(expr) ?? []) : [];
    if (isCall(expr, 'and') || (isCall(expr, 'or') && !withoutBlanks(expr))) expr.args.forEach((arg, i) => visit(arg, parts[i] ?? span));
    else if (isCall(expr, 'not') && !isTest(expr.args[0])) visit(expr.args[0], parts[0] ?? span);
    else spans.push(span);
  };
  visit(parsed.expr, parsed.span);
  return spans;
}

/** The conditions at work, in the order in which the expression of the tree has them. */
export function activeConditions(root: Group): Condition[] {
  if (root.off) return [];
  return root.children.flatMap((child) => (child.off ? [] : child.kind === 'group' ? activeConditions(child) : [child]));
}

function rootOf(node: TreeNode): Group {
  if (node.kind === 'group' && node.combine === 'all') return { ...node, id: ROOT };
  return { ...emptyTree(), children: [node] };
}

function nodeOf(expr: Expr, newId: () => string): TreeNode {
  const group = (combine: Combine, parts: Expr[]): Group => ({
    kind: 'group',
    id: newId(),
    combine,
    children: parts.map((part) => nodeOf(part, newId)),
  });
  if (isCall(expr, 'and')) return group('all', expr.args);
  if (isCall(expr, 'or') && !withoutBlanks(expr)) return group('any', expr.args);
  if (isCall(expr, 'not') && !isTest(expr.args[0])) {
    const inner = expr.args[0];
    return group('none', isCall(inner, 'or') && !withoutBlanks(inner) ? inner.args : [inner]);
  }
  return { kind: 'condition', id: newId(), expr };
}

/** Tests that a single condition can say the contrary of. */
function isTest(expr: Expr): boolean {
  return isCall(expr) && operatorNamed(expr.op)?.deniable === true;
}

function reconcile(now: Group, before: Group): Group {
  const unmatched = before.children.filter((node) => !isSilent(node));
  const children = now.children.map((node, index) => {
    let at = unmatched.findIndex((old) => sameMeaning(old, node));
    if (at < 0) {
      // Nothing says the same: a node of the same kind in the same place is the one that was edited.
      const old = before.children.filter((child) => !isSilent(child))[index];
      if (old?.kind === node.kind && unmatched.includes(old) && !now.children.some((other) => sameMeaning(old, other)))
        at = unmatched.indexOf(old);
    }
    if (at < 0) return node;
    const [old] = unmatched.splice(at, 1);
    if (node.kind === 'group' && old.kind === 'group') return reconcile({ ...node, id: old.id }, old);
    const shows = old.kind === 'condition' && old.shows ? { shows: old.shows } : {};
    return { ...node, id: old.id, ...shows };
  });
  // What was switched off goes back behind the neighbour it followed.
  before.children.forEach((node, index) => {
    if (!isSilent(node)) return;
    const previous = index > 0 ? before.children[index - 1].id : null;
    const at = previous === null ? -1 : children.findIndex((child) => child.id === previous);
    if (previous !== null && at < 0) children.push(node);
    else children.splice(at + 1, 0, node);
  });
  return { ...now, children };
}

/** A node that adds nothing to the expression. */
function isSilent(node: TreeNode): boolean {
  return exprOfTree(node) === null;
}

function sameMeaning(a: TreeNode, b: TreeNode): boolean {
  const [left, right] = [exprOfTree(a), exprOfTree(b)];
  return a.kind === b.kind && left !== null && right !== null && sameExpr(left, right);
}

/** Every node below, depth first, with the group it stands in. */
export function* nodesIn(group: Group): Generator<{ node: TreeNode; parent: Group }> {
  for (const node of group.children) {
    yield { node, parent: group };
    if (node.kind === 'group') yield* nodesIn(node);
  }
}

/** The node of an identity with the group that it stands in; null where there is none. The root is not found. */
export function findNode(root: Group, id: string): { node: TreeNode; parent: Group } | null {
  for (const found of nodesIn(root)) if (found.node.id === id) return found;
  return null;
}

/** A copy of the tree in which the node with this id is replaced; by null, removed. */
export function replaceNode(group: Group, id: string, change: (node: TreeNode) => TreeNode | null): Group {
  const children: TreeNode[] = [];
  for (const node of group.children) {
    const next = node.id === id ? change(node) : node.kind === 'group' ? replaceNode(node, id, change) : node;
    if (next) children.push(next);
  }
  return { ...group, children };
}

/** A copy of the tree with another expression in each condition, switched-off ones too. */
export function mapConditions(group: Group, change: (expr: Expr) => Expr): Group {
  const children = group.children.map((child) =>
    child.kind === 'group' ? mapConditions(child, change) : { ...child, expr: change(child.expr) },
  );
  return { ...group, children };
}

/**
 * The tree with a condition that narrows what it keeps: among conditions that must all hold one more, of others it holds beside
 * all of them together.
 * @param id of the group that the conditions there are put into, where they are
 */
export function narrowedBy(root: Group, node: TreeNode, id: string): Group {
  if (root.combine === 'all' || root.children.length === 0) return insertNode({ ...root, combine: 'all' }, root.id, node);
  return { ...root, combine: 'all', children: [{ ...root, id }, node] };
}

/** A copy of the tree with a node added at a place in a group. */
export function insertNode(group: Group, parent: string, node: TreeNode, index = Infinity): Group {
  if (group.id === parent) {
    const children = group.children.slice();
    children.splice(Math.min(index, children.length), 0, node);
    return { ...group, children };
  }
  return {
    ...group,
    children: group.children.map((child) => (child.kind === 'group' ? insertNode(child, parent, node, index) : child)),
  };
}
