import {
  findNode,
  insertNode,
  narrowedBy,
  replaceNode,
  ROOT,
  type Combine,
  type Expr,
  type Fix,
  type Group,
  type MatchColumn,
  type TreeNode,
} from '@clean-sieve/core';
import { useOwnColumns } from '../computing/use_own_columns.ts';
import { useFocus } from '../stores/focus.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';

export function newId(): string {
  return crypto.randomUUID().slice(0, 8);
}

/** Everything that can be done to the active sieve's conditions. Each is one undoable change. */
export function useTreeEditing() {
  const workspace = useWorkspace();
  const focus = useFocus();
  const notices = useNotices();
  const { keepTyped } = useOwnColumns();

  function change(label: string, make: (tree: Group) => Group, key?: string): void {
    const sieve = workspace.activeSieve;
    if (sieve) workspace.changeSieve(sieve.id, { tree: make(sieve.tree) }, label, key);
  }

  /** Adds a condition and opens it for editing; on a source as a whole it begins a new sieve. */
  async function addCondition(expr: Expr, parent = ROOT, edit = true): Promise<void> {
    const node: TreeNode = { kind: 'condition', id: newId(), expr };
    await workspace.settled();
    workspace.putTree(insertNode(workspace.activeTree, parent, node), 'add condition');
    await workspace.settled();
    if (edit) setTimeout(() => (focus.editing = node.id));
  }

  /** Adds a condition that narrows what is kept, however the conditions are joined; on a source as a whole it begins a new sieve. */
  function narrow(expr: Expr, label: string): void {
    narrowBy([expr], label);
  }
  /** The same with several conditions, in one step. */
  function narrowBy(exprs: readonly Expr[], label: string): void {
    const narrowed = (tree: Group, expr: Expr) => narrowedBy(tree, { kind: 'condition', id: newId(), expr }, newId());
    workspace.putTree(exprs.reduce(narrowed, workspace.activeTree), label);
  }

  function addGroup(combine: Combine, parent = ROOT): void {
    const node: TreeNode = { kind: 'group', id: newId(), combine, children: [] };
    change('add group', (tree) => insertNode(tree, parent, node));
  }

  /** Puts a changed tree in the place of the conditions. */
  function setTree(tree: Group, label: string): void {
    change(label, () => tree);
  }

  /** Takes a hint's advice: makes the typed column that it needs, counts from today, or changes the conditions. */
  async function mend(fix: Fix): Promise<void> {
    const source = workspace.activeSource;
    if (fix.asOfToday) return workspace.setAsOf(null);
    if (fix.derive && source) {
      try {
        await keepTyped(source, fix.derive.name, fix.derive.derivation, null);
        notices.say(`${fix.derive.name} stands beside ${fix.derive.derivation.from}, which stays as it is.`);
      } catch (error) {
        notices.complain(error);
        return;
      }
    }
    setTree(fix.tree, fix.label);
  }

  function setExpr(id: string, expr: Expr): void {
    change(
      'edit condition',
      (tree) => replaceNode(tree, id, (node) => (node.kind === 'condition' ? { ...node, expr } : node)),
      `expr:${id}`,
    );
  }

  /** What a condition in space shows of the features that it is about, as columns. */
  function setShows(id: string, shows: MatchColumn[]): void {
    change('columns of a condition', (tree) => replaceNode(tree, id, (node) => (node.kind === 'condition' ? { ...node, shows } : node)));
  }

  function toggle(id: string): void {
    change('switch on or off', (tree) => replaceNode(tree, id, (node) => ({ ...node, off: !node.off })));
  }

  function setCombine(id: string, combine: Combine): void {
    change('change group', (tree) =>
      id === ROOT ? { ...tree, combine } : replaceNode(tree, id, (node) => (node.kind === 'group' ? { ...node, combine } : node)),
    );
  }

  function remove(id: string): void {
    if (focus.editing === id) focus.editing = null;
    change('remove condition', (tree) => replaceNode(tree, id, () => null));
  }

  /** Moves a node one place up or down; at the end of a group, out of it; towards a group, into it. */
  function shift(id: string, step: 1 | -1): void {
    change('move condition', (tree) => {
      const found = findNode(tree, id);
      if (!found) return tree;
      const { node, parent } = found;
      const at = parent.children.indexOf(node);
      const neighbour = parent.children[at + step] as TreeNode | undefined;
      const without = replaceNode(tree, id, () => null);
      if (neighbour?.kind === 'group' && node.kind === 'condition') return insertNode(without, neighbour.id, node, step > 0 ? 0 : Infinity);
      if (neighbour) return insertNode(without, parent.id, node, at + step);
      if (parent.id === ROOT) return tree;
      const grand = findNode(without, parent.id)!.parent;
      const place = grand.children.findIndex((child) => child.id === parent.id);
      return insertNode(without, grand.id, node, step > 0 ? place + 1 : place);
    });
  }

  /** Puts the children of a group in the order that dragging left them in. */
  function setChildren(id: string, children: TreeNode[]): void {
    change(
      'move condition',
      (tree) =>
        id === ROOT ? { ...tree, children } : replaceNode(tree, id, (node) => (node.kind === 'group' ? { ...node, children } : node)),
      'drag',
    );
  }

  function duplicate(id: string): void {
    change('repeat condition', (tree) => {
      const found = findNode(tree, id);
      if (!found) return tree;
      return insertNode(tree, found.parent.id, copyOf(found.node), found.parent.children.indexOf(found.node) + 1);
    });
  }

  return {
    addCondition,
    narrow,
    narrowBy,
    addGroup,
    setTree,
    mend,
    setExpr,
    setShows,
    toggle,
    setCombine,
    remove,
    shift,
    setChildren,
    duplicate,
  };
}

function copyOf(node: TreeNode): TreeNode {
  return node.kind === 'condition' ? { ...node, id: newId() } : { ...node, id: newId(), children: node.children.map(copyOf) };
}
