import {
  checkFilter,
  CRS84,
  exprKey,
  exprOfTree,
  FilterError,
  idOf,
  operandReaches,
  operandsIn,
  named,
  Sifter,
  type AreaShapes,
  type CheckOptions,
  type Expr,
  type Geos,
  type Group,
  type NearTold,
  type Operand,
  type OperandNames,
  type OperandRef,
} from '@clean-sieve/core';
import { isSample, loadPart, nearPart, type AskedNear } from '../fetching/near_parts.ts';
import { Sieve, Source, type SieveRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { areaShapes, directory } from '../workspace_state.ts';

/** A source, opened. */
export interface Opened {
  sifter: Sifter;
  /** What tells its state from any before. */
  state: string;
  /** Where only a part of what there is was asked for: that. */
  near?: Omit<NearTold, 'called'>;
}

/** Opened sources, to look up what filters name. */
export interface OpenSources {
  em: Entities;
  areas: AreaShapes;
  /**
   * A sifter of a source.
   * @param asked for what it is named, where what is near enough to matter will do; throws a FilterError otherwise where only a sample is held
   */
  sifter: (sourceId: number, asked?: AskedNear) => Promise<Opened>;
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

/**
 * Makes a sifter ready for an expression (or a list of them): its areas, and the sources and sieves that it names as they are now.
 * @param by the source whose features are asked, of which others need only be near; null where they have to be here in full
 * @returns what of others was asked for as far as it is near
 */
export async function prepare(sifter: Sifter, expr: Expr, open: OpenSources, by: number | null = null): Promise<NearTold[]> {
  const { operands, near } = await operandsOf(expr, open, by);
  sifter.areas = open.areas;
  sifter.operands = operands;
  return near;
}

/** Sources and sieves that an expression names, as they are now. */
export interface Named {
  /** By `SOURCE name`. */
  operands: ReadonlyMap<string, Operand>;
  near: NearTold[];
}

/** The sources and sieves that an expression (or a list of them) names. */
export async function operandsOf(expr: Expr, open: OpenSources, by: number | null = null): Promise<Named> {
  const near: NearTold[] = [];
  const tell = (told: NearTold) => near.push(told);
  return { operands: await operandsFor(expr, { ...open, tell }, by, []), near };
}

/** Opened sources, and whoever is told what of others was asked for. */
interface Telling extends OpenSources {
  tell: (told: NearTold) => void;
}

async function operandsFor(expr: Expr, open: Telling, by: number | null, trail: SieveRow[]): Promise<ReadonlyMap<string, Operand>> {
  const operands = new Map<string, Operand>();
  for (const { ref, metres } of operandReaches(expr))
    operands.set(`${ref.op} ${ref.args[0]}`, await operandOf(ref, open, by === null ? null : { by, metres }, trail));
  return operands;
}

async function operandOf(
  { op, args: [name] }: OperandRef,
  open: Telling,
  asked: Omit<AskedNear, 'expr'> | null,
  trail: SieveRow[],
): Promise<Operand> {
  const opened = async (sourceId: number, expr: Expr | null) => {
    const { near, ...source } = await open.sifter(sourceId, asked === null ? undefined : { ...asked, expr });
    if (near) open.tell({ called: `${op} ${name}`, ...near });
    return { ...source, reach: near ? { reach: near.metres } : {} };
  };
  const names = await directory(open.em);
  const about = idOf(names[op], name);
  if (about === null) throw new FilterError(`There is no ${op.toLowerCase()} ${name}`);
  if (op === 'SOURCE') {
    const { sifter, state, reach } = await opened(about, null);
    return { key: `${about}/${state}`, table: sifter.table, rows: null, ...reach };
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
  const { sifter, state, reach } = await opened(sieve.source.id, expr);
  if (expr === null) return { key: `${sieve.source.id}/${state}`, table: sifter.table, rows: null, ...reach };
  checkFilter(expr, sifter.table.columns, { areas: open.areas, operands: await operandNames(open.em) });
  const operands = await operandsFor(expr, open, asked && sieve.source.id, through);
  // Another sieve over the same source may have set its own in the meantime.
  sifter.areas = open.areas;
  sifter.operands = operands;
  return {
    key: `${sieve.source.id}/${state}/${sifter.asOf}/${exprKey(sifter.resolve(expr))}`,
    table: sifter.table,
    rows: sifter.verdict(expr).yes,
    ...reach,
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
    async sifter(sourceId, asked) {
      const source = asked && (await em.findOneOrFail(Source, { id: sourceId }, { populate: ['columns'] }));
      if (source && isSample(source)) {
        const { table, state, told } = await loadPart(em, await nearPart(em, source, asked, asOf));
        return { sifter: new Sifter(table, asOf, CRS84, geos), state, near: told };
      }
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
