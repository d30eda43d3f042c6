import Papa from 'papaparse';
import { defineStore } from 'pinia';
import { ref } from 'vue';
import { api } from '../api/client.ts';
import { plural } from '../words/numbers.ts';
import { useJobs } from './jobs.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

/** Files on their way into the workspace. */
export const useBringIn = defineStore('bringIn', () => {
  const jobs = useJobs();
  const notices = useNotices();
  const workspace = useWorkspace();
  /** Goes up when the file chooser is to open. */
  const wanted = ref(0);
  /** A table whose coordinates could not be told by name, with its column names. */
  const unplaced = ref<{ file: File; columns: string[]; lon: string | null; lat: string | null } | null>(null);

  async function take(files: Iterable<File>): Promise<void> {
    for (const file of files) await takeOne(file);
  }

  async function takeOne(file: File, lonLat?: { lon: string; lat: string }): Promise<void> {
    const label = `Bringing in ${file.name}`;
    try {
      const job = await jobs.follow(await api.bringIn(file, lonLat));
      if (job.state === 'failed' && job.error?.includes('that can be told by name')) {
        jobs.dismiss(job.id);
        await askForColumns(file, job.error);
      }
      const id = job.result?.sourceId;
      if (job.state !== 'done' || id === undefined) return;
      await workspace.load();
      workspace.openSource(id);
      const source = workspace.sources.find((candidate) => candidate.id === id);
      const notes = source && source.notes.length > 0 ? ` ${source.notes.join(' ')}` : '';
      notices.say(`${source?.name ?? file.name}: ${plural(job.result?.features ?? 0, 'feature')} brought in.${notes}`);
    } catch (error) {
      jobs.fail(label, (error as Error).message);
    }
  }

  /** The header is in the first bytes of the file; the person says which columns hold the coordinates. */
  async function askForColumns(file: File, problem: string): Promise<void> {
    const head = (await file.slice(0, 65_536).text()).replace(/^\ufeff/, '').split(/\r?\n/)[0];
    const columns = (Papa.parse<string[]>(head).data[0] ?? []).map((name, i) =>
      name.trim() === '' ? `column_${i + 1}` : name.trim(),
    );
    if (columns.length < 2) jobs.fail(`Bringing in ${file.name}`, problem);
    else unplaced.value = { file, columns, lon: null, lat: null };
  }

  async function placeColumns(): Promise<void> {
    const { file, lon, lat } = unplaced.value!;
    unplaced.value = null;
    await takeOne(file, { lon: lon!, lat: lat! });
  }

  return { wanted, unplaced, take, placeColumns, choose: () => wanted.value++ };
});
