import { HTTPException } from 'hono/http-exception';
import type { Derivation } from '@clean-sieve/core';
import { ColumnStates, isFromElsewhere, type FromElsewhere } from '../jobs/column_states.ts';
import { Source, SourceColumn } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';
import { IN_USE } from '../store/table_store.ts';
import { asOfDay } from '../workspace_state.ts';

/**
 * Refuses what would leave columns of other sources without what they are made from.
 * @param uses whether a column is made from it
 */
export async function notMadeFrom(
  em: Entities,
  problem: string,
  sourceId: number | null,
  uses: (derivation: FromElsewhere) => boolean,
): Promise<void> {
  const derived = await em.find(SourceColumn, { derivation: { $ne: null }, source: IN_USE }, { populate: ['source'] });
  const users = derived.filter(({ derivation, source }) => source.id !== sourceId && isFromElsewhere(derivation) && uses(derivation));
  if (users.length === 0) return;
  const names = users.map(({ name, source }) => `${name} of ${source.name}`);
  throw new HTTPException(400, { message: `${problem} by columns: ${names.join(', ')}; remove them first` });
}

/** Whether a column is made from one of another source. */
export const isOfColumn = (sourceId: number, column: string) => (derivation: FromElsewhere) =>
  derivation.source === sourceId &&
  (derivation.kind === 'zoned'
    ? [derivation.figure.column, derivation.figure.weight, derivation.figure.part?.column].includes(column)
    : derivation.column === column || (derivation.kind === 'joined' && derivation.pairs.some(({ other }) => other === column)));

/** Whether a column is a figure of what a sieve keeps. */
export const isOfSieve = (sieve: number) => (derivation: FromElsewhere) => derivation.kind === 'zoned' && derivation.sieve === sieve;

/** Refuses a column that would be made of itself through other sources or sieves. */
export async function notRound(em: Entities, sourceId: number, column: string, derivation: Derivation): Promise<void> {
  const states = await ColumnStates.of(em, await asOfDay(em));
  const through = states.roundThrough({ source: sourceId, column }, derivation);
  if (!through) return;
  const source = await em.findOneOrFail(Source, { id: through.source });
  throw new HTTPException(400, { message: `${through.column} of ${source.name} is made from ${column}: they would go round in a circle` });
}
