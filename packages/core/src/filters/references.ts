import { isCall, type Expr } from './ast.ts';
import { exchanged } from './exchange.ts';
import type { Group, TreeNode } from './tree.ts';

/** What conditions can be about beside the columns: areas, other sources, other sieves. */
export type ReferenceOp = 'AREA' | 'SOURCE' | 'SIEVE';
const OPS: readonly ReferenceOp[] = ['AREA', 'SOURCE', 'SIEVE'];

/**
 * What is kept of a workspace's trees holds the identity of what a condition is about, as in `{ op: 'AREA', args: [12] }`; texts,
 * words and evaluation go by its name. The directory has both.
 */
export type Directory = Record<ReferenceOp, ReadonlyMap<number, string>>;

/** What a tree is about, by its identity. */
export interface Reference {
  op: ReferenceOp;
  id: number;
}

/**
 * A directory of what has a name. Of several with one name those that were made later have a number behind it, so that a text
 * never means another one than the tree does: `Lit (2)`.
 */
export function directoryOf(named: Record<ReferenceOp, readonly { id: number; name: string | null }[]>): Directory {
  const mapOf = (op: ReferenceOp) => {
    const bearers = named[op].flatMap(({ id, name }) => (name === null ? [] : [{ id, name }])).sort((a, b) => a.id - b.id);
    const [taken, names] = [new Set(bearers.map(({ name }) => name)), new Map<number, string>()];
    const first = new Set<string>();
    for (const { id, name } of bearers) {
      let own = name;
      if (first.has(name)) for (let n = 2; taken.has(own); n++) own = `${name} (${n})`;
      first.add(own);
      taken.add(own);
      names.set(id, own);
    }
    return names;
  };
  return { AREA: mapOf('AREA'), SOURCE: mapOf('SOURCE'), SIEVE: mapOf('SIEVE') };
}

/** The tree by identity: what is named and in the directory. What is not there stays as it is written. */
export function identified(tree: Group, directory: Directory): Group {
  return inTree(tree, (op, about) => (typeof about === 'string' ? idOf(directory[op], about) : null));
}

/** The tree by names, for words, text and evaluation. What is gone is named by its number, which nothing is called. */
export function named(tree: Group, directory: Directory): Group {
  return inTree(tree, (op, about) => (typeof about === 'number' ? (directory[op].get(about) ?? `no. ${about}, which is gone`) : null));
}

/** What a tree by identity is about, each once. */
export function referencesIn(tree: Group): Reference[] {
  const found = new Map<string, Reference>();
  inTree(tree, (op, about) => {
    if (typeof about === 'number') found.set(`${op} ${about}`, { op, id: about });
    return null;
  });
  return [...found.values()];
}

/** The identity of what has a name; null where nothing has. */
export function idOf(names: ReadonlyMap<number, string>, wanted: string): number | null {
  for (const [id, name] of names) if (name === wanted) return id;
  return null;
}

/** The same tree where nothing is exchanged. */
function inTree(tree: Group, other: (op: ReferenceOp, about: Expr) => string | number | null): Group {
  const children = tree.children.map((child) => inNode(child, other));
  return children.every((child, i) => child === tree.children[i]) ? tree : { ...tree, children };
}

function inNode(node: TreeNode, other: (op: ReferenceOp, about: Expr) => string | number | null): TreeNode {
  if (node.kind === 'group') return inTree(node, other);
  const expr = exchanged(node.expr, (part) => {
    if (typeof part !== 'object' || Array.isArray(part) || !isCall(part, ...OPS) || part.args.length !== 1) return null;
    const op = OPS.find((one) => one === part.op)!;
    const about = other(op, part.args[0]);
    return about === null ? null : { op, args: [about] };
  });
  return expr === node.expr ? node : { ...node, expr };
}
