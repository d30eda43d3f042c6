import { isDatabase } from '@clean-sieve/core';
import type { FetchRequest, JobState, SourceInfo } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { counted, plural } from '../words/numbers.ts';
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
  /** Whether it is being asked which. */
  const open = ref(false);
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
      notices.say([`${source.name}: ${plural(source.rows, 'feature')} brought in.`, ...source.notes].join(' '));
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
  /** Has a live source asked anew; the first time since the program began, nothing is said of it. */
  async function askAnew({ id, name, fetchedFrom }: SourceInfo): Promise<void> {
    if (asking.value.has(id)) return;
    asking.value.add(id);
    try {
      const { state, result } = await jobs.follow(await api.askAnew(id));
      if (state === 'cancelled') notices.say(`Cancelled; ${name} is as it was.`);
      if (state !== 'done') return;
      await workspace.load();
      if (fetchedFrom?.live?.held) notices.say(`${name} was asked anew: ${answerInWords(result)}.`);
    } catch (error) {
      notices.complain(error);
    } finally {
      asking.value.delete(id);
    }
  }
  // What has not been asked since the program began is asked as soon as it is there to be seen.
  const seen = new Set<number>();
  watch(
    () => workspace.sources.filter(({ fetchedFrom }) => fetchedFrom?.live?.held === null),
    (unasked) => {
      for (const source of unasked) {
        if (seen.has(source.id)) continue;
        seen.add(source.id);
        void askAnew(source);
      }
    },
    { immediate: true },
  );

  /** Fetches a source once more, and compares. */
  const fetchAgain = (source: SourceInfo): Promise<void> => versions.comparing(source, () => api.fetchAgain(source.id));

  return { open, stopped, asking, fetchIt, goOn, fetchAgain, askAnew };
});

/** What is in an answer, compared with the one before. */
function answerInWords(result: JobState['result']): string {
  const features = plural(result?.features ?? 0, 'feature');
  const difference = result?.version?.difference;
  if (!difference) return features;
  const { added, gone, changed } = difference;
  return `${features}, ${counted(added)} new, ${counted(changed)} changed, ${counted(gone)} gone`;
}
