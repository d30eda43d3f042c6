import { layersNamedIn, mapConditions, nodesIn, renamedLayer, type Expr, type LayerRef } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import { Sieve, type SieveRow } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';

/** Refuses what would leave conditions about nothing. */
export const notUsed = async (
  manager: Entities,
  problem: string,
  uses: (expr: Expr) => boolean,
  except: (sieve: SieveRow) => boolean = () => false,
) => {
  const users = (await manager.find(Sieve, {}, { populate: ['source'] })).filter(
    (sieve) => !except(sieve) && [...nodesIn(sieve.tree)].some(({ node }) => node.kind === 'condition' && uses(node.expr)),
  );
  if (users.length === 0) return;
  const names = users.map((sieve) => sieve.name ?? `an unnamed sieve of ${sieve.source.name}`);
  throw new HTTPException(400, { message: `${problem} by ${names.join(', ')}; take it out of the conditions first` });
};
/** Whether an expression names a source or a sieve. */
export const isAbout = (ref: LayerRef) => (expr: Expr) =>
  layersNamedIn(expr).some(({ op, args: [name] }) => op === ref.op && name === ref.args[0]);
export const notNamed = (manager: Entities, ref: LayerRef, problem: string, except?: number) =>
  notUsed(manager, problem, isAbout(ref), (sieve) => sieve.id === except);
/** The conditions go on being about it. */
export const renameLayer = async (manager: Entities, ref: LayerRef, to: string) => {
  for (const sieve of await manager.find(Sieve, {})) {
    const tree = mapConditions(sieve.tree, (expr) => renamedLayer(expr, ref, to));
    if (JSON.stringify(tree) !== JSON.stringify(sieve.tree)) sieve.tree = tree;
  }
};
