import { Hono } from 'hono';
import { HTTPException } from 'hono/http-exception';
import {
  checkComputed,
  checkTyped,
  derivedFrom,
  exprKey,
  FilterError,
  GEOMETRY_NAME,
  hangsOnAsOf,
  madeFrom,
  nodesIn,
  propertiesIn,
  type AlikeDerivation,
  type ColumnSchema,
  type ColumnType,
  type ComputedDerivation,
  type Derivation,
  type Expr,
  type Group,
  type NamedDerivation,
  type TypedDerivation,
} from '@clean-sieve/core';
import type { SourceRow } from '../store/entities.ts';
import { entities } from '../store/store.ts';
import { schemasOf } from '../feeds/published.ts';
import { asOfDay } from '../workspace_state.ts';
import {
  alikeLookRequest,
  alikeRequest,
  computedColumnRequest,
  computedLookRequest,
  typedColumnRequest,
  typedLookRequest,
} from './contract.ts';
import { refuseFromElsewhere } from './elsewhere.ts';
import { refuseFrozen } from './frozen.ts';
import { notUsed } from './in_use.ts';
import { isOfColumn, notMadeFrom, notRound } from './made_elsewhere.ts';
import { sourceChanged, sourceOf, type Services } from './services.ts';

/** Columns that are made of others of their source: computed, read as another type, told of duplicates; a job each, as they may take long. */
export function computedRoutes(services: Services): Hono {
  const routes = new Hono();
  const { store, jobs } = services;
  routes.post('/sources/:id/computed/look', async (c) => {
    const { expr } = computedLookRequest.parse(await c.req.json());
    const em = entities(store);
    const source = await sourceOf(em, c.req.param('id'));
    fits(() => checkComputed(expr, { columns: schemasOf(source.columns.getItems()) }));
    const task = { kind: 'lookAtComputed' as const, sourceId: source.id, expr, asOf: await asOfDay(em) };
    return c.json(jobs.start(`Computing a column of ${source.name}`, task));
  });
  routes.post('/sources/:id/typed/look', async (c) => {
    const { derivation } = typedLookRequest.parse(await c.req.json());
    const source = await sourceOf(entities(store), c.req.param('id'));
    fits(() => typeOfDerived(derivation, schemasOf(source.columns.getItems())));
    return c.json(jobs.start(`Reading ${derivation.from} of ${source.name}`, { kind: 'lookAtTyped', sourceId: source.id, derivation }));
  });
  routes.post('/sources/:id/alike/look', async (c) => {
    const { alike } = alikeLookRequest.parse(await c.req.json());
    const source = await sourceOf(entities(store), c.req.param('id'));
    fits(() => typeOfDerived({ kind: 'alike', alike, tells: 'group' }, schemasOf(source.columns.getItems())));
    return c.json(jobs.start(`Finding duplicates in ${source.name}`, { kind: 'lookAtAlike', sourceId: source.id, alike }));
  });

  routes.post('/sources/:id/computed', async (c) => {
    const { name, expr, unit, replaces } = computedColumnRequest.parse(await c.req.json());
    const before = replaces && formulaOf(replaces);
    return c.json(await make(c.req.param('id'), [{ name, derivation: formulaOf({ expr, unit }) }], before, `Computing ${name}`));
  });
  routes.post('/sources/:id/typed', async (c) => {
    const { name, derivation, replaces } = typedColumnRequest.parse(await c.req.json());
    return c.json(await make(c.req.param('id'), [{ name, derivation }], replaces, `Reading ${derivation.from}`));
  });
  routes.post('/sources/:id/alike', async (c) => {
    const { alike, columns } = alikeRequest.parse(await c.req.json());
    const wanted = columns.map(({ name, tells }): NamedDerivation => ({ name, derivation: { kind: 'alike', alike, tells } }));
    return c.json(await make(c.req.param('id'), wanted, null, 'Finding duplicates'));
  });

  /** @param replaces what the only column is made of, where it is there and changed */
  async function make(sourceId: string, columns: NamedDerivation[], replaces: OwnDerivation | null, label: string) {
    const em = entities(store);
    const source = await sourceOf(em, sourceId);
    const names = columns.map(({ name }) => name);
    if (new Set(names).size < names.length) throw new HTTPException(400, { message: 'Two columns would have the same name' });
    for (const column of columns) await refuseUnfit(services, source, column, replaces);
    const task = { kind: 'compute' as const, sourceId: source.id, columns, asOf: await asOfDay(em) };
    return jobs.start(`${label} of ${source.name}`, task, () => sourceChanged(services, source.id));
  }
  return routes;
}

const formulaOf = ({ expr, unit }: { expr: Expr; unit: string | null }) => ({ kind: 'computed' as const, expr, unit, asOf: null });

/** Throws an answer of 400 where something cannot be made, led by what it would be for. */
function fits<T>(check: () => T, lead = ''): T {
  try {
    return check();
  } catch (error) {
    if (error instanceof FilterError) throw new HTTPException(400, { message: `${lead}${error.line}` });
    throw error;
  }
}

/** The type of a column that is made of others of its source; null for what is made from elsewhere. Throws a FilterError. */
function typeOfDerived(derivation: Derivation, columns: readonly ColumnSchema[]): ColumnType | null {
  const typeOf = (name: string) => {
    const column = columns.find((one) => one.name === name);
    if (!column) throw new FilterError(`There is no column ${name}`);
    return column.type;
  };
  switch (derivation.kind) {
    case 'computed':
      return checkComputed(derivation.expr, { columns });
    case 'typed':
      if (typeOf(derivation.from) !== 'text') throw new FilterError(`${derivation.from} is not a text column`);
      checkTyped(derivation);
      return derivation.as;
    case 'alike':
      derivation.alike.columns.forEach(typeOf);
      return 'number';
    default:
      return null;
  }
}

/** What a column is made of in its own source. */
type OwnDerivation = ComputedDerivation | TypedDerivation | AlikeDerivation;
const KINDS: Record<OwnDerivation['kind'], string> = {
  computed: 'a computed column',
  typed: 'a column that is read from texts',
  alike: 'told of duplicates',
};
/** What a column is made of, as another window is told apart by. */
const stateOf = (derivation: Derivation): string =>
  derivation.kind === 'computed' ? exprKey([derivation.expr, derivation.unit ?? '']) : JSON.stringify(derivation);

/** Refuses what is known to be impossible before anything is computed. */
async function refuseUnfit({ store }: Services, source: SourceRow, wanted: NamedDerivation, replaces: OwnDerivation | null): Promise<void> {
  const { name, derivation } = wanted;
  const em = entities(store);
  const columns = source.columns.getItems();
  const known = columns.find((one) => one.name === name);
  if (name === GEOMETRY_NAME || (known && !replaces))
    throw new HTTPException(400, { message: `There is a column ${name} already; choose another name` });
  if (replaces && known?.derivation?.kind !== replaces.kind)
    throw new HTTPException(400, { message: `${name} is not ${KINDS[replaces.kind]}; only these can be changed` });
  if (replaces && known?.derivation)
    refuseFromElsewhere(`The column ${name}`, { formula: stateOf(known.derivation) }, { formula: stateOf(replaces) });
  const derived: NamedDerivation[] = columns.flatMap((one) => (one.derivation ? [{ name: one.name, derivation: one.derivation }] : []));
  const later = known ? derivedFrom(name, derived) : [];
  const from = madeFrom(derivation);
  const round = [name, ...later.map((one) => one.name)].find((one) => known && from.includes(one));
  if (round !== undefined)
    throw new HTTPException(400, {
      message: round === name ? `${name} cannot be computed of itself` : `${round} is made of ${name}: they would go round in a circle`,
    });
  await notRound(em, source.id, name, derivation);
  const moves = derivation.kind === 'computed' && hangsOnAsOf(derivation.expr);
  if (known || moves) await refuseFrozen(em, source, known ? 'change with the column' : 'change with the as-of date');

  // What is made of it has to fit its new values; what conditions use keeps its type.
  let schemas = schemasOf(columns).filter((schema) => schema.name !== name);
  for (const one of [wanted, ...later]) {
    const others = schemas.filter((schema) => schema.name !== one.name);
    const lead = one.name === name ? '' : `${one.name} is made of ${name}, and would not fit: `;
    const type = fits(() => typeOfDerived(one.derivation, others), lead);
    if (type === null) continue;
    schemas = [...others, { name: one.name, type }];
    const before = columns.find((column) => column.name === one.name);
    if (!before || before.type === type) continue;
    const uses = (tree: Group) =>
      [...nodesIn(tree)].some(({ node }) => node.kind === 'condition' && propertiesIn(node.expr).includes(one.name));
    const problem = `${one.name} would hold values of another type, and is used`;
    await notUsed(em, problem, uses, (sieve) => sieve.source.id !== source.id);
    await notMadeFrom(em, problem, source.id, isOfColumn(source.id, one.name));
  }
}
