import { isDatabase } from '@clean-sieve/core';
import type { AskRequest, FetchRequest, JobState, SourceInfo } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { isSample } from '../sources/state.ts';
import { counted, plural } from '../words/numbers.ts';
import { useHistory } from './history.ts';
import { useJobs } from './jobs.ts';
import { useNotices } from './notices.ts';
import { useVersions } from './versions.ts';
import { useWorkspace } from './workspace.ts';

/** Features that are fetched from services and databases. */
export const useServices = defineStore('services', () => {
  const jobs = useJobs();
  const notices = useNotices();
  const versions = useVersions();
  const workspace = useWorkspace();
  const history = useHistory();
  /** Whether it is being asked which. */
  const open = ref(false);
  /** The live source of which it is asked what it is asked for. */
  const changing = shallowRef<SourceInfo | null>(null);
  function change(source: SourceInfo): void {
    changing.value = source;
    open.value = true;
  }
  watch(open, (isOpen) => {
    if (!isOpen) changing.value = null;
  });
  /** What did not come to its end, by its job: it can go on. */
  const stopped = shallowRef(new Map<string, FetchRequest>());

  async function fetchIt(request: FetchRequest): Promise<void> {
    try {
      const { job: started, upload } = await api.fetchFeatures(request);
      const job = await jobs.follow(started);
      // A database is asked anew: of a part of a table it could not go on.
      if (job.state === 'failed' && !isDatabase(request.address))
        stopped.value = new Map([...stopped.value, [job.id, { ...request, into: upload }]]);
      if (job.state === 'cancelled') notices.say('Cancelled; nothing was brought in.');
      if (job.state !== 'done') return;
      await workspace.load();
      const source = workspace.sources.find(({ id }) => id === job.result?.sourceId);
      if (!source) return;
      workspace.openSource(source.id);
      const words = isSample(source) ? `${sampleInWords(source)} is here` : `${plural(source.rows, 'feature')} brought in`;
      notices.say([`${source.name}: ${words}.`, ...source.notes].join(' '));
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Goes on where an earlier try has stopped. */
  async function goOn(job: string): Promise<void> {
    const request = stopped.value.get(job);
    if (!request) return;
    stopped.value = new Map([...stopped.value].filter(([id]) => id !== job));
    jobs.dismiss(job);
    await fetchIt(request);
  }

  /** Live sources that are being asked. */
  const asking = ref(new Set<number>());
  /** Why those that were asked last without an answer have none. */
  const failed = ref(new Map<number, string>());
  /**
   * Has a live source asked anew.
   * @param otherwise what it is asked for from now on
   * @param byItself nobody has said so: what comes of it stands with the source, and is not said beside
   * @returns whether there is another answer
   */
  async function askAnew({ id, name, fetchedFrom }: SourceInfo, otherwise: AskRequest = {}, byItself = false): Promise<boolean> {
    if (asking.value.has(id)) return false;
    asking.value.add(id);
    try {
      const { id: job, state, result, error } = await jobs.follow(await api.askAnew(id, otherwise));
      if (state === 'failed') failed.value.set(id, error ?? '');
      else failed.value.delete(id);
      if (byItself) jobs.dismiss(job);
      if (state === 'cancelled') notices.say(`Cancelled; ${name} is as it was.`);
      if (state !== 'done') return false;
      // What was changed here meanwhile is saved before others' changes are seen: they would be overwritten in silence.
      await workspace.save();
      await workspace.load();
      // Of another question it is no difference what came before.
      const isOther = Object.keys(otherwise).length > 0;
      const now = workspace.sources.find((source) => source.id === id);
      const words = now && isSample(now) ? sampleInWords(now) : answerInWords(result, isOther);
      if (fetchedFrom?.live?.held) notices.say(`${name} was asked anew: ${words}.`);
      return true;
    } catch (error) {
      notices.complain(error);
      return false;
    } finally {
      asking.value.delete(id);
    }
  }
  /** Has a live source asked for something else from now on. */
  async function askFor(source: SourceInfo, otherwise: AskRequest): Promise<void> {
    const { filter, leftOut, live } = source.fetchedFrom!;
    const sample = live?.sample?.wanted ?? null;
    const put = async (request: AskRequest) => {
      if (!(await askAnew(source, request))) throw new Error(`${source.name} could not be asked for that, and is as it was`);
    };
    if (!(await askAnew(source, otherwise))) return;
    const label = `what ${source.name} is asked for`;
    history.record({ label, undo: () => put({ filter, leftOut, sample }), redo: () => put(otherwise) });
  }
  // What has not been asked since the program began is asked as soon as it is there to be seen.
  const seen = new Set<number>();
  watch(
    () => workspace.sources.filter(({ fetchedFrom }) => fetchedFrom?.live?.held === null),
    (unasked) => {
      for (const source of unasked) {
        if (seen.has(source.id)) continue;
        seen.add(source.id);
        void askAnew(source, {}, true);
      }
    },
    { immediate: true },
  );

  /** Fetches a source once more, and compares. */
  const fetchAgain = (source: SourceInfo): Promise<void> => versions.comparing(source, () => api.fetchAgain(source.id));

  return { open, changing, change, stopped, asking, failed, fetchIt, goOn, fetchAgain, askAnew, askFor };
});

const sampleInWords = ({ fetchedFrom, rows }: SourceInfo): string =>
  `a sample of ${counted(fetchedFrom!.came)} of ${plural(rows, 'feature')}`;

/** What is in an answer, compared with the one before to the same question. */
function answerInWords(result: JobState['result'], isOther: boolean): string {
  const features = plural(result?.features ?? 0, 'feature');
  const difference = result?.version?.difference;
  if (!difference || isOther) return features;
  const { added, gone, changed } = difference;
  return `${features}, ${counted(added)} new, ${counted(changed)} changed, ${counted(gone)} gone`;
}
