import type {
  JoinLook,
  JoinLookRequest,
  JoinRequest,
  PlacedLook,
  PlacedLookRequest,
  PlacedRequest,
  SourceInfo,
} from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { resultOf } from '../api/job_result.ts';
import { useHistory } from '../stores/history.ts';
import { useJobs } from '../stores/jobs.ts';
import { useWorkspace } from '../stores/workspace.ts';

/** Looking at how a table fits, and joining columns of it; that can be undone. */
export function useJoin() {
  const workspace = useWorkspace();
  const jobs = useJobs();
  const history = useHistory();

  /** How the source and the table fit; given up, the job ends too. @param told how far it is, in words */
  const look = async (
    sourceId: number,
    join: JoinLookRequest,
    signal: AbortSignal,
    told: (progress: string) => void,
  ): Promise<JoinLook> => {
    const { join: found } = await resultOf(await api.lookAtJoin(sourceId, join), signal, told);
    if (!found) throw new Error('Nothing was compared');
    return found;
  };

  /** Throws where it is not joined. */
  async function join(sourceId: number, request: JoinRequest): Promise<void> {
    const { state, error } = await jobs.follow(await api.joinColumns(sourceId, request));
    await workspace.load();
    if (state !== 'done') throw new Error(error ?? 'Nothing was joined: it was cancelled');
  }
  /** How many features find another by their place; as `look`. */
  const lookAtPlaced = async (
    sourceId: number,
    placed: PlacedLookRequest,
    signal: AbortSignal,
    told: (progress: string) => void,
  ): Promise<PlacedLook> => {
    const { placed: found } = await resultOf(await api.lookAtPlaced(sourceId, placed), signal, told);
    if (!found) throw new Error('Nothing was looked for');
    return found;
  };
  async function place(sourceId: number, request: PlacedRequest): Promise<void> {
    const { state, error } = await jobs.follow(await api.takeByPlace(sourceId, request));
    await workspace.load();
    if (state !== 'done') throw new Error(error ?? 'Nothing was taken: it was cancelled');
  }
  async function remove(sourceId: number, names: readonly string[]): Promise<void> {
    for (const name of names) workspace.putSource(await api.removeColumn(sourceId, name));
  }

  /** Throws where it is not joined. */
  async function kept(sourceId: number, columns: readonly { name: string }[], make: () => Promise<void>): Promise<void> {
    await make();
    const names = columns.map(({ name }) => name);
    history.record({
      label: names.length === 1 ? `column ${names[0]}` : `${names.length} joined columns`,
      undo: () => remove(sourceId, names),
      redo: make,
    });
  }
  const keep = ({ id }: SourceInfo, request: JoinRequest) => kept(id, request.columns, () => join(id, request));
  const keepPlaced = ({ id }: SourceInfo, request: PlacedRequest) => kept(id, request.columns, () => place(id, request));
  return { look, lookAtPlaced, keep, keepPlaced };
}
