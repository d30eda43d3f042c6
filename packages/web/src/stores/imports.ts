import { SHAPEFILE_PARTS } from '@clean-sieve/core';
import type { LayerLook, ReadingChoice } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { api } from '../api/client.ts';
import { plural } from '../words/numbers.ts';
import { useJobs } from './jobs.ts';
import { useNotices } from './notices.ts';
import { useWorkspace } from './workspace.ts';

/** A layer that was found, and what the person decided about it. */
export interface Candidate {
  look: LayerLook;
  take: boolean;
  name: string;
  reading: ReadingChoice;
  /** Being looked at again after a decision. */
  busy: boolean;
}

/** Files on their way into the workspace: uploaded, looked at, and taken in when the person says so. */
export const useImports = defineStore('importing', () => {
  const jobs = useJobs();
  const notices = useNotices();
  const workspace = useWorkspace();
  /** Goes up when the file chooser is to open. */
  const wanted = ref(0);
  const upload = ref<string | null>(null);
  const candidates = ref<Candidate[]>([]);
  /** What is being done before there is anything to show. */
  const waiting = ref<string | null>(null);
  const chosen = ref(0);

  const open = computed(() => upload.value !== null && waiting.value === null);
  const taken = computed(() => candidates.value.filter(({ take, look }) => take && ready(look)));

  /** A layer that needs nothing more to be said. */
  function ready(look: LayerLook): boolean {
    return look.error === null && look.crs !== null;
  }

  const rank = ({ error, attributesOnly }: LayerLook) => (error !== null ? 2 : attributesOnly ? 1 : 0);

  async function take(files: File[]): Promise<void> {
    if (files.length === 0 || waiting.value !== null) return;
    await close();
    try {
      for (const file of files) {
        waiting.value = `Sending ${file.name}`;
        upload.value = await api.upload(file, upload.value ?? undefined);
      }
      const names = mainFiles(files.map((file) => file.name));
      waiting.value = `Looking at ${names.join(', ')}`;
      const looks = await lookAt(names, {});
      const found = looks?.map((look) => ({
        ...{ look, name: look.layer, reading: {}, busy: false },
        take: look.error === null && !look.attributesOnly,
      }));
      // What can be taken in stands first; a readme beside it, which is no layer, last.
      candidates.value = [...(found ?? [])].sort((a, b) => rank(a.look) - rank(b.look));
      chosen.value = 0;
      if (looks === null) await close();
    } catch (error) {
      notices.complain(error);
      await close();
    } finally {
      waiting.value = null;
    }
  }

  /** The parts of a shapefile travel with its .shp; alone they speak for themselves. */
  function mainFiles(names: string[]): string[] {
    const stem = (name: string) => name.replace(/\.[^.]*$/, '').toLowerCase();
    const shapes = new Set(names.filter((name) => /\.shp$/i.test(name)).map(stem));
    const isPart = (name: string) => SHAPEFILE_PARTS.some((part) => name.toLowerCase().endsWith(part));
    return names.filter((name) => !isPart(name) || ![...shapes].some((shape) => name.toLowerCase().startsWith(`${shape}.`)));
  }

  async function lookAt(files: string[], reading: ReadingChoice): Promise<LayerLook[] | null> {
    const job = await jobs.follow(await api.look(upload.value!, files, reading));
    return job.result?.looks ?? null;
  }

  /** Looks again at a layer after the person said something about it. */
  async function decide(candidate: Candidate, reading: ReadingChoice): Promise<void> {
    candidate.reading = { ...candidate.reading, ...reading };
    candidate.busy = true;
    try {
      const looks = await lookAt([candidate.look.file], candidate.reading);
      const again = looks?.find((look) => look.layer === candidate.look.layer);
      if (again) candidate.look = again;
      if (again && ready(again)) candidate.take = true;
    } catch (error) {
      notices.complain(error);
    } finally {
      candidate.busy = false;
    }
  }

  async function importTaken(): Promise<void> {
    const layers = taken.value.map(({ look, name, reading }) => ({
      ...reading,
      file: look.file,
      layer: look.layer,
      name: name.trim() || look.layer,
    }));
    const id = upload.value!;
    upload.value = null;
    try {
      const job = await jobs.follow(await api.importLayers(id, layers));
      if (job.state === 'cancelled') notices.say('Cancelled; nothing was brought in.');
      if (job.state !== 'done') return void (await api.dropUpload(id));
      await workspace.load();
      const sources = (job.result?.sourceIds ?? []).map((sourceId) => workspace.sources.find((s) => s.id === sourceId)!);
      if (sources.length === 0) return;
      workspace.openSource(sources[0].id);
      const said = sources.map((source) => `${source.name}: ${plural(source.rows, 'feature')} brought in.`);
      const notes =
        sources.length === 1
          ? sources[0].notes
          : sources.some((s) => s.notes.length > 0)
            ? ['What was noted stands under “Columns and report”.']
            : [];
      notices.say([...said, ...notes].join(' '));
    } catch (error) {
      notices.complain(error);
    }
  }

  async function close(): Promise<void> {
    const id = upload.value;
    upload.value = null;
    candidates.value = [];
    if (id !== null) await api.dropUpload(id).catch(notices.complain);
  }

  return {
    wanted,
    candidates,
    waiting,
    chosen,
    open,
    taken,
    ready,
    take,
    decide,
    importTaken,
    close,
    choose: () => wanted.value++,
  };
});
