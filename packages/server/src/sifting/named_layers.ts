import {
  checkFilter,
  CRS84,
  exprKey,
  exprOfTree,
  FilterError,
  layersNamedIn,
  Sifter,
  type AreaShapes,
  type CheckOptions,
  type Expr,
  type Geos,
  type Group,
  type Layer,
  type LayerNames,
  type LayerRef,
} from '@clean-sieve/core';
import { Sieve, Source, type SieveRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { areaShapes } from '../workspace.ts';

/** Opened sources, to look up what filters name. */
export interface OpenSources {
  em: Entities;
  areas: AreaShapes;
  /** A sifter of a source, and what tells its state from any before. */
  sifter: (sourceId: number) => Promise<{ sifter: Sifter; state: string }>;
}

/** Names of the sources and sieves of the workspace that a filter can speak of. */
export async function layerNames(em: Entities): Promise<LayerNames> {
  const [sources, sieves] = [await em.find(Source, { role: 'layer' }), await em.find(Sieve, {})];
  return {
    sources: sources.map(({ name }) => name),
    sieves: sieves.flatMap(({ name }) => name ?? []),
  };
}

/** What filters of the workspace are checked against, beside the columns. */
export async function checkOptions(em: Entities): Promise<CheckOptions> {
  return { areas: await areaShapes(em), layers: await layerNames(em) };
}

/** Makes a sifter ready for an expression (or a list of them): its areas, and the sources and sieves that it names as they are now. */
export async function prepare(sifter: Sifter, expr: Expr, open: OpenSources): Promise<void> {
  sifter.areas = open.areas;
  sifter.layers = await layersFor(expr, open, []);
}

async function layersFor(expr: Expr, open: OpenSources, trail: SieveRow[]): Promise<ReadonlyMap<string, Layer>> {
  const layers = new Map<string, Layer>();
  for (const ref of layersNamedIn(expr)) layers.set(`${ref.op} ${ref.args[0]}`, await layerOf(ref, open, trail));
  return layers;
}

async function layerOf({ op, args: [name] }: LayerRef, open: OpenSources, trail: SieveRow[]): Promise<Layer> {
  if (op === 'SOURCE') {
    const source = await open.em.findOneOrFail(Source, { name, role: 'layer' });
    const { sifter, state } = await open.sifter(source.id);
    return { key: `${source.id}/${state}`, table: sifter.table, rows: null };
  }
  const sieve = await open.em.findOneOrFail(Sieve, { name });
  const through = [...trail, sieve];
  if (trail.some(({ id }) => id === sieve.id))
    throw new FilterError(
      `The sieves go round in a circle: ${through.map((one) => one.name).join(' → ')}`,
      null,
      'Take one of these conditions out',
    );
  const expr = exprOfTree(sieve.tree);
  const { sifter, state } = await open.sifter(sieve.source.id);
  if (expr === null) return { key: `${sieve.source.id}/${state}`, table: sifter.table, rows: null };
  checkFilter(expr, sifter.table.columns, { areas: open.areas, layers: await layerNames(open.em) });
  const layers = await layersFor(expr, open, through);
  // Another sieve over the same source may have set its own in the meantime.
  sifter.areas = open.areas;
  sifter.layers = layers;
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
export function nameLayers(trees: readonly Group[]): boolean {
  return trees.some((tree) => layersNamedIn(exprOfTree(tree) ?? true).length > 0);
}
