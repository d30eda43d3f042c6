import type { SourceInfo, SpreadLook, SpreadLookRequest, ZonedLook, ZonedRequest } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { resultOf } from '../api/job_result.ts';
import { useHistory } from '../stores/history.ts';
import { useJobs } from '../stores/jobs.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** Looking at how features lie in zones, and summing them up; that can be undone. */
export function useZoned() {
  const workspace = useWorkspace();
  const jobs = useJobs();
  const history = useHistory();

  /** How features and zones lie to each other; given up, the job ends too. @param told how far it is, in words */
  async function look(
    zones: number,
    features: ZonedRequest['features'],
    signal: AbortSignal,
    told: (progress: string) => void,
  ): Promise<ZonedLook> {
    const { zoned } = await resultOf(await api.lookAtZoned(zones, { features }), signal, told);
    if (!zoned) throw new Error('Nothing was summed up');
    return zoned;
  }

  /** The values that features are told apart by, before figures are spread over them; as `look`. */
  async function lookAtSpread(zones: number, request: SpreadLookRequest, signal: AbortSignal): Promise<SpreadLook> {
    const { spread } = await resultOf(await api.lookAtSpread(zones, request), signal, () => {});
    if (!spread) throw new Error('Nothing was told apart');
    return spread;
  }

  async function sumUp(zones: number, request: ZonedRequest): Promise<void> {
    const { state, error } = await jobs.follow(await api.sumUpByZones(zones, request));
    await workspace.load();
    if (state !== 'done') throw new Error(error ?? 'Nothing was summed up: it was cancelled');
  }
  async function remove(zones: number, names: readonly string[]): Promise<void> {
    for (const name of names) workspace.putSource(await api.removeColumn(zones, name));
  }

  /** Throws where it cannot be summed up. */
  async function keep({ id }: SourceInfo, request: ZonedRequest): Promise<void> {
    await sumUp(id, request);
    // What is computed of a figure goes before it.
    const names = [...request.computed, ...request.figures].map(({ name }) => name);
    history.record({
      label: names.length === 1 ? `column ${names[0]}` : `${names.length} figures by zones`,
      undo: () => remove(id, names),
      redo: () => sumUp(id, request),
    });
  }
  return { look, lookAtSpread, keep };
}
