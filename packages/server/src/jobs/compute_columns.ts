import {
  checkAtTimes,
  derivedFrom,
  FilterError,
  GEOMETRY_NAME,
  hangsOnAsOf,
  madeFrom,
  type FeatureTable,
  type NamedDerivation,
} from '@clean-sieve/core';
import type { JoinRequest, PlacedRequest, ZonedRequest } from '../api/contract.ts';
import { Source, type SourceRow } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import { derivationsOf, loadTable, putColumns, putShapes, type Remade, type StoredColumn, type Variant } from '../store/table_store.ts';

import { ColumnStates, isFromElsewhere } from './column_states.ts';
import { calledOf, deriveColumns, leftBehind } from './derive_columns.ts';

type Report = (share: number, progress: string) => void;

/** Makes columns of others of their source, and those that are made of them again, and stores them all or nothing. */
export async function computeColumns(
  orm: Store,
  { sourceId, columns, asOf }: { sourceId: number; columns: NamedDerivation[]; asOf: number },
  report: Report,
): Promise<void> {
  const all = await derivationsOf(entities(orm), sourceId);
  const later = columns.flatMap(({ name }) => derivedFrom(name, all));
  await makeAgain(orm, sourceId, [...new Map([...columns, ...later].map((one) => [one.name, one])).values()], asOf, report);
}

/** Joins columns of a table beside a source, all or none, each with what the table's own is called. */
export async function joinColumns(orm: Store, task: { sourceId: number; join: JoinRequest; asOf: number }, report: Report): Promise<void> {
  const { table, pairs, like, columns } = task.join;
  const other = await entities(orm).findOneOrFail(Source, { id: table }, { populate: ['columns'] });
  const wanted = columns.map(({ name, column, several }): NamedDerivation => {
    return { name, derivation: { kind: 'joined', source: table, table: other.name, pairs, like, column, several, of: '' } };
  });
  const counted = columns.map(({ column, name, several }) => ({ name, column: several === 'count' ? null : column }));
  await makeAgain(orm, task.sourceId, wanted, task.asOf, report, asIn(other, counted));
}

/** Columns of the features of another source that belong to each by its place, all or none. */
export async function takeByPlace(
  orm: Store,
  task: { sourceId: number; placed: PlacedRequest; asOf: number },
  report: Report,
): Promise<void> {
  const { table, by, most, columns } = task.placed;
  const other = await entities(orm).findOneOrFail(Source, { id: table }, { populate: ['columns'] });
  const wanted = columns.map(({ name, column }): NamedDerivation => {
    return { name, derivation: { kind: 'placed', source: table, table: other.name, by, most, column, of: '' } };
  });
  await makeAgain(orm, task.sourceId, wanted, task.asOf, report, asIn(other, columns));
}

/** What is said of columns, by their names. */
type About = ReadonlyMap<string, StoredColumn['about']>;

/** What the columns of another source are called, mean and are coded by goes with them. */
function asIn(other: SourceRow, columns: readonly { column: string | null; name: string }[]): About {
  const all = other.columns.getItems();
  return new Map(
    columns.flatMap(({ name, column }) => {
      const of = all.find((one) => one.name === column);
      return of ? [[name, { title: of.title, description: of.description, codeList: of.codeList }] as const] : [];
    }),
  );
}

/** Figures of the features of another source beside the zones that they lie in, all or none. */
export async function sumUpByZones(
  orm: Store,
  task: { sourceId: number; zoned: ZonedRequest; asOf: number },
  report: Report,
): Promise<void> {
  const em = entities(orm);
  const { features, figures, computed } = task.zoned;
  const called = await calledOf(em, features);
  const wanted = [
    ...figures.map(({ name, figure, unit }): NamedDerivation => {
      return { name, derivation: { kind: 'zoned', ...features, called, figure, ...(unit !== null && { unit }), of: '' } };
    }),
    ...computed.map(({ name, expr, unit }): NamedDerivation => ({ name, derivation: { kind: 'computed', expr, unit, asOf: null } })),
  ];
  const titled = [...figures, ...computed].flatMap(({ name, title }) =>
    title === null ? [] : [[name, { title, description: null, codeList: null }] as const],
  );
  await makeAgain(orm, task.sourceId, wanted, task.asOf, report, new Map(titled));
}

/**
 * Makes the columns anew that hang on the as-of date or are joined from what has changed, and those that are made of them. One that
 * cannot be made of it any more keeps its values, and says why.
 */
export async function refreshColumns(orm: Store, sourceId: number, asOf: number, report: Report): Promise<void> {
  const em = entities(orm);
  const states = await ColumnStates.of(em, asOf);
  const isOld = ({ derivation }: NamedDerivation): boolean =>
    derivation.kind === 'computed' ? hangsOnAsOf(derivation.expr) : isFromElsewhere(derivation) && states.isBehind(derivation);
  const { columns, behind } = await remade(orm, sourceId, await loadTable(em, sourceId), isOld, asOf, report);
  report(0.9, 'Storing it');
  await putColumns(em, sourceId, columns, behind);
}

/** Makes those anew that a test holds for, and those made of them, of a table. What cannot be made keeps its values, and says why. */
async function remade(
  orm: Store,
  sourceId: number,
  table: FeatureTable,
  isRoot: (one: NamedDerivation) => boolean,
  asOf: number,
  report: Report,
): Promise<Remade> {
  const em = entities(orm);
  const all = await derivationsOf(em, sourceId);
  const states = await ColumnStates.of(em, asOf);
  const behind = new Map<string, string>();
  // Sieves can have been changed so that a figure would count what it decides.
  for (const { name, derivation } of all)
    if (derivation.kind === 'zoned' && states.roundThrough({ source: sourceId, column: name }, derivation))
      behind.set(name, 'it would be made of itself, through a sieve');
  for (;;) {
    const wanted = withLater(all, isRoot).filter(({ name }) => !behind.has(name));
    const { made, left } = await madeOf(orm, table, wanted, asOf, report);
    if (left.length === 0) {
      const kept = all.flatMap(({ name, derivation }) => {
        const problem = behind.get(name);
        return problem === undefined ? [] : [{ name, derivation: leftBehind(states, derivation, problem) }];
      });
      return { columns: made, behind: kept };
    }
    const { name, problem } = left[0];
    behind.set(name, problem);
    // What is made of it keeps its values with it.
    for (const later of derivedFrom(name, all)) behind.set(later.name, `${name} has the values of an earlier state`);
  }
}

/** The columns that are measured of the geometry, and those that are made of them, for a table with other shapes. */
export function measuredAgain(orm: Store, sourceId: number, table: FeatureTable, asOf: number, report: Report): Promise<Remade> {
  return remade(orm, sourceId, table, ({ derivation }) => madeFrom(derivation).includes(GEOMETRY_NAME), asOf, report);
}

/** Puts the shapes as they came, or the repaired ones, to use, with what is measured of them. */
export async function useShapes(
  orm: Store,
  { sourceId, shapes, asOf }: { sourceId: number; shapes: Variant; asOf: number },
  report: Report,
): Promise<void> {
  const table = await loadTable(entities(orm), sourceId, shapes);
  const columns = await measuredAgain(orm, sourceId, table, asOf, report);
  await putShapes(entities(orm), sourceId, shapes, columns);
}

/** Those that a test holds for, and those made of them, in the order of all. */
function withLater(all: readonly NamedDerivation[], isRoot: (one: NamedDerivation) => boolean): NamedDerivation[] {
  const names = new Set(all.filter(isRoot).flatMap((root) => [root, ...derivedFrom(root.name, all)].map(({ name }) => name)));
  return all.filter(({ name }) => names.has(name));
}

/** Makes columns of a table anew, whatever it has of them. */
async function madeOf(orm: Store, table: FeatureTable, wanted: readonly NamedDerivation[], asOf: number, report: Report) {
  const names = new Set(wanted.map(({ name }) => name));
  const base = { ...table, columns: table.columns.filter(({ name }) => !names.has(name)) };
  if (wanted.length === 0) return { made: [], left: [] };
  // A job that is cancelled ends in the midst of a column.
  checkAtTimes(() => report(0.3, `Computing ${wanted[0].name} of ${table.rows.toLocaleString('en-GB')} features`));
  try {
    return await deriveColumns(orm, base, wanted, asOf);
  } finally {
    checkAtTimes(null);
  }
}

/** Makes columns of a source and stores them, all or none. @param about what is said of those that are new */
async function makeAgain(
  orm: Store,
  sourceId: number,
  wanted: readonly NamedDerivation[],
  asOf: number,
  report: Report,
  about: About = new Map(),
): Promise<void> {
  const em = entities(orm);
  const { made, left } = await madeOf(orm, await loadTable(em, sourceId), wanted, asOf, report);
  const [problem] = left;
  if (problem) throw new FilterError(`${problem.name} cannot be made: ${problem.problem}`);
  report(0.9, 'Storing it');
  await putColumns(
    em,
    sourceId,
    made.map((one) => ({ ...one, about: about.get(one.name) })),
  );
}
