import {
  checkFilter,
  CRS84,
  exprKey,
  exprOfTree,
  FilterError,
  idOf,
  operandsIn,
  named,
  Sifter,
  type AreaShapes,
  type CheckOptions,
  type Expr,
  type Geos,
  type Group,
  type Operand,
  type OperandNames,
  type OperandRef,
} from '@clean-sieve/core';
import { Sieve, type SieveRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { areaShapes, directory } from '../workspace_state.ts';

/** Opened sources, to look up what filters name. */
export interface OpenSources {
  em: Entities;
  areas: AreaShapes;
  /** A sifter of a source, and what tells its state from any before. */
  sifter: (sourceId: number) => Promise<{ sifter: Sifter; state: string }>;
}

/** Names of the sources and sieves of the workspace that a filter can speak of. */
export async function operandNames(em: Entities): Promise<OperandNames> {
  const names = await directory(em);
  return { sources: [...names.SOURCE.values()], sieves: [...names.SIEVE.values()] };
}

/** What filters of the workspace are checked against, beside the columns. */
export async function checkOptions(em: Entities): Promise<CheckOptions> {
  return { areas: await areaShapes(em), operands: await operandNames(em) };
}

/** Makes a sifter ready for an expression (or a list of them): its areas, and the sources and sieves that it names as they are now. */
export async function prepare(sifter: Sifter, expr: Expr, open: OpenSources): Promise<void> {
  sifter.areas = open.areas;
  sifter.operands = await operandsOf(expr, open);
}

/** The sources and sieves that an expression (or a list of them) names, as they are now, by `SOURCE name`. */
export const operandsOf = (expr: Expr, open: OpenSources): Promise<ReadonlyMap<string, Operand>> => operandsFor(expr, open, []);

async function operandsFor(expr: Expr, open: OpenSources, trail: SieveRow[]): Promise<ReadonlyMap<string, Operand>> {
  const operands = new Map<string, Operand>();
  for (const ref of operandsIn(expr)) operands.set(`${ref.op} ${ref.args[0]}`, await operandOf(ref, open, trail));
  return operands;
}

async function operandOf({ op, args: [name] }: OperandRef, open: OpenSources, trail: SieveRow[]): Promise<Operand> {
  const names = await directory(open.em);
  const about = idOf(names[op], name);
  if (about === null) throw new FilterError(`There is no ${op.toLowerCase()} ${name}`);
  if (op === 'SOURCE') {
    const { sifter, state } = await open.sifter(about);
    return { key: `${about}/${state}`, table: sifter.table, rows: null };
  }
  const sieve = await open.em.findOneOrFail(Sieve, { id: about });
  const through = [...trail, sieve];
  if (trail.some(({ id }) => id === sieve.id))
    throw new FilterError(
      `The sieves go round in a circle: ${through.map((one) => one.name).join(' → ')}`,
      null,
      'Take one of these conditions out',
    );
  const expr = exprOfTree(named(sieve.tree, names));
  const { sifter, state } = await open.sifter(sieve.source.id);
  if (expr === null) return { key: `${sieve.source.id}/${state}`, table: sifter.table, rows: null };
  checkFilter(expr, sifter.table.columns, { areas: open.areas, operands: await operandNames(open.em) });
  const operands = await operandsFor(expr, open, through);
  // Another sieve over the same source may have set its own in the meantime.
  sifter.areas = open.areas;
  sifter.operands = operands;
  return {
    key: `${sieve.source.id}/${state}/${sifter.asOf}/${exprKey(sifter.resolve(expr))}`,
    table: sifter.table,
    rows: sifter.verdict(expr).yes,
  };
}

/** Sources opened for one piece of work. */
export async function openSources(orm: Store, asOf: number, geos: Geos): Promise<OpenSources> {
  const em = entities(orm);
  const sifters = new Map<number, Promise<Sifter>>();
  const open = async (sourceId: number) => new Sifter(await loadTable(em, sourceId), asOf, CRS84, geos);
  return {
    em,
    areas: await areaShapes(em),
    async sifter(sourceId) {
      let sifter = sifters.get(sourceId);
      if (!sifter) sifters.set(sourceId, (sifter = open(sourceId)));
      return { sifter: await sifter, state: 'only' };
    },
  };
}

/** Whether any of the trees names a source or a sieve. */
export function nameOperands(trees: readonly Group[]): boolean {
  return trees.some((tree) => operandsIn(exprOfTree(tree) ?? true).length > 0);
}
