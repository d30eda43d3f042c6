import type { Alike, Expr, TypedDerivation } from '@clean-sieve/core';
import type { AlikeLook, AlikeRequest, ComputedLook, Formula, JobState, SourceInfo, TypedLook } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { resultOf } from '../api/job_result.ts';
import { useHistory } from '../stores/history.ts';
import { useJobs } from '../stores/jobs.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** How far a look is, in words. */
type Told = (progress: string) => void;

/**
 * Looking at, keeping and changing columns that are made of others of their source: computed, read as another type, told of duplicates.
 * What is kept and changed can be undone; a look that is given up ends its job too.
 */
export function useOwnColumns() {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const jobs = useJobs();
  const history = useHistory();

  /** What an expression gives, before it is kept. */
  async function lookAtComputed(sourceId: number, expr: Expr, signal: AbortSignal, told: Told): Promise<ComputedLook> {
    const { computed } = await resultOf(await api.lookAtComputed(sourceId, expr), signal, told);
    if (!computed) throw new Error('Nothing was computed');
    return computed;
  }
  /** How texts would be read, before they are. */
  async function lookAtTyped(sourceId: number, derivation: TypedDerivation, signal: AbortSignal, told: Told): Promise<TypedLook> {
    const { typed } = await resultOf(await api.lookAtTyped(sourceId, derivation), signal, told);
    if (!typed) throw new Error('Nothing was read');
    return typed;
  }
  /** Which features are alike, before it is told in columns. */
  async function lookAtAlike(sourceId: number, about: Alike, signal: AbortSignal, told: Told): Promise<AlikeLook> {
    const { alike } = await resultOf(await api.lookAtAlike(sourceId, about), signal, told);
    if (!alike) throw new Error('Nothing was compared');
    return alike;
  }

  /** Throws where it is not made. @param changes whether columns that are there have other values by it */
  async function made(started: Promise<JobState>, name: string, changes: boolean): Promise<void> {
    const { state, error } = await jobs.follow(await started);
    await workspace.load();
    if (state !== 'done') throw new Error(error ?? `${name} was not made: it was cancelled`);
    if (changes) sifting.refresh();
  }
  const compute = (sourceId: number, name: string, { expr, unit }: Formula, replaces: Formula | null) =>
    made(api.computeColumn(sourceId, { name, expr, unit, replaces }), name, replaces !== null);
  const read = (sourceId: number, name: string, derivation: TypedDerivation, replaces: TypedDerivation | null) =>
    made(api.readColumn(sourceId, { name, derivation, replaces }), name, replaces !== null);
  const tell = (sourceId: number, request: AlikeRequest) => made(api.tellAlike(sourceId, request), request.columns[0].name, false);
  async function remove(sourceId: number, names: readonly string[]): Promise<void> {
    for (const name of names) workspace.putSource(await api.removeColumn(sourceId, name));
  }

  /** Throws where it is not computed. @param before what it was computed by; null for a new column */
  async function keepComputed({ id }: SourceInfo, name: string, formula: Formula, before: Formula | null): Promise<void> {
    await compute(id, name, formula, before);
    history.record({
      label: before ? `how ${name} is computed` : `column ${name}`,
      undo: () => (before ? compute(id, name, before, formula) : remove(id, [name])),
      redo: () => compute(id, name, formula, before),
    });
  }
  /** Throws where it cannot be read so. @param before how it was read; null for a new column */
  async function keepTyped(
    { id }: Pick<SourceInfo, 'id'>,
    name: string,
    derivation: TypedDerivation,
    before: TypedDerivation | null,
  ): Promise<void> {
    await read(id, name, derivation, before);
    history.record({
      label: before ? `how ${name} is read` : `column ${name}`,
      undo: () => (before ? read(id, name, before, derivation) : remove(id, [name])),
      redo: () => read(id, name, derivation, before),
    });
  }
  /** Throws where it cannot be told. */
  async function keepAlike({ id }: SourceInfo, request: AlikeRequest): Promise<void> {
    await tell(id, request);
    history.record({
      label: 'columns of duplicates',
      undo: () =>
        remove(
          id,
          request.columns.map(({ name }) => name),
        ),
      redo: () => tell(id, request),
    });
  }
  return { lookAtComputed, lookAtTyped, lookAtAlike, keepComputed, keepTyped, keepAlike };
}
