import {
  checkFilter,
  exprOfTree,
  FilterError,
  named,
  withDerived,
  zonedKey,
  type Derivation,
  type FeatureTable,
  type NamedDerivation,
  type ZonedDerivation,
  type ZonedFeatures,
} from '@clean-sieve/core';
import type { ZonedRequest } from '../api/contract.ts';
import { geos } from '../export/kept_of_source.ts';
import { checkOptions, openSources, prepare, type OpenSources } from '../sifting/named_operands.ts';
import { Sieve, Source } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { directory } from '../workspace_state.ts';
import { ColumnStates, isFromElsewhere } from './column_states.ts';

/** Makes derived columns of a table, those that are made from elsewhere from the sources and sieves as they are now. */
export async function deriveColumns(
  orm: Store,
  table: FeatureTable,
  wanted: readonly NamedDerivation[],
  asOf: number,
): Promise<ReturnType<typeof withDerived>> {
  if (!wanted.some(({ derivation }) => isFromElsewhere(derivation))) {
    const asksPlaces = wanted.some(({ derivation }) => derivation.kind === 'alike' && derivation.alike.within !== null);
    return withDerived(table, wanted, { asOf, geos: asksPlaces ? await geos.get() : null });
  }
  // Looked at before the tables are opened: what changes meanwhile is noticed, and made once more.
  const states = await ColumnStates.of(entities(orm), asOf);
  const engine = await geos.get();
  const open = await openSources(orm, asOf, engine);
  const tables = new Map<number, FeatureTable>();
  const features = new Map<string, ZonedFeatures>();
  const unmade: (NamedDerivation & { problem: string })[] = [];
  for (const one of wanted) {
    const { derivation } = one;
    try {
      if ((derivation.kind === 'joined' || derivation.kind === 'placed') && !tables.has(derivation.source))
        tables.set(derivation.source, (await open.sifter(derivation.source)).sifter.table);
      if (derivation.kind === 'zoned' && !features.has(zonedKey(derivation)))
        features.set(zonedKey(derivation), await zonedFeatures(open, derivation));
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      unmade.push({ ...one, problem: error.line });
    }
  }
  const makeable = wanted.filter((one) => !unmade.some(({ name }) => name === one.name));
  const { made, left, ...rest } = withDerived(table, makeable, { asOf, tables, features, geos: engine });
  const stamped = made.map((one) => {
    const { derivation } = one;
    return isFromElsewhere(derivation) ? { ...one, derivation: { ...derivation, of: states.stateOf(derivation) } } : one;
  });
  return { ...rest, made: stamped, left: [...unmade, ...left] };
}

/** The features that a figure is of, as its sieve keeps them now. Throws a FilterError where it cannot be sifted. */
export async function zonedFeatures(
  open: OpenSources,
  { source, sieve, called }: Pick<ZonedDerivation, 'source' | 'sieve' | 'called'>,
): Promise<ZonedFeatures> {
  const { sifter } = await open.sifter(source);
  const { table } = sifter;
  if (sieve === null) return { table, kept: null };
  const found = await open.em.findOne(Sieve, { id: sieve, source });
  if (!found) throw new FilterError(`${called} is not there`);
  const expr = exprOfTree(named(found.tree, await directory(open.em)));
  if (expr === null) return { table, kept: null };
  checkFilter(expr, table.columns, await checkOptions(open.em));
  await prepare(sifter, expr, open);
  return { table, kept: sifter.verdict(expr).yes };
}

/** What zoned features are called: a source, or a sieve of one. */
export async function calledOf(em: Entities, { source, sieve }: ZonedRequest['features']): Promise<string> {
  const { name } = await em.findOneOrFail(Source, { id: source });
  if (sieve === null) return name;
  const { name: kept } = await em.findOneOrFail(Sieve, { id: sieve });
  return `${kept ?? 'a sieve'} of ${name}`;
}

/** The derivation of a column that keeps its values although it should have others, with why. */
export function leftBehind(states: ColumnStates, derivation: Derivation, behind: string): Derivation {
  if (isFromElsewhere(derivation)) return { ...derivation, of: states.stateOf(derivation), behind };
  return derivation.kind === 'computed' ? { ...derivation, behind } : derivation;
}
