import type { JobState, LayerLook, SourceInfo, VersionAnswer } from '@clean-sieve/server/api';
import { emptyTree, type DifferenceRows } from '@clean-sieve/core';
import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import { api } from '../api/client.ts';
import { counted } from '../words/numbers.ts';
import { useExports } from './exports.ts';
import { useJobs } from './jobs.ts';
import { useNotices } from './notices.ts';
import { usePicks } from './picks.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** How the features of a part came to be picked. */
const WORDS: Record<keyof DifferenceRows, (after: string, before: string) => string> = {
  added: (after, before) => `new in ${after} since ${before}`,
  gone: (after, before) => `gone in ${after} since ${before}`,
  changed: (after, before) => `changed in ${after} since ${before}`,
};

/** Whether no feature has a geometry. */
const isBare = ({ geometryTypes }: SourceInfo) => Object.keys(geometryTypes).every((type) => type === 'None');

/** Another version of a source: brought in beside it, compared, and accepted or dropped. */
export const useVersions = defineStore('versions', () => {
  const exporting = useExports();
  const jobs = useJobs();
  const picks = usePicks();
  const notices = useNotices();
  const sifting = useSifting();
  const workspace = useWorkspace();
  /** The source that a newer version is being compared with. */
  const source = shallowRef<SourceInfo | null>(null);
  const version = shallowRef<VersionAnswer | null>(null);
  const busy = ref(false);

  /** Follows what makes another version, and shows how that differs. */
  async function comparing(target: SourceInfo, begin: () => Promise<JobState>): Promise<void> {
    try {
      const job = await jobs.follow(await begin());
      if (job.state === 'done' && job.result?.version) [source.value, version.value] = [target, job.result.version];
    } catch (error) {
      notices.complain(error);
    }
  }

  async function importing(target: SourceInfo, files: File[]): Promise<void> {
    let upload: string | undefined;
    try {
      for (const file of files) upload = await api.upload(file, upload);
      if (upload === undefined) return;
      const main = files.find((file) => /\.shp$/i.test(file.name)) ?? files[0];
      // A table without geometry stays one.
      const reading = isBare(target) ? { bare: true } : {};
      const looked = await jobs.follow(await api.look(upload, [main.name], reading));
      const look = layerFor(target, looked.result?.looks ?? []);
      if (!look || look.error) throw new Error(look?.error ?? `${main.name} holds no layer that could be a version of ${target.name}`);
      // A file that does not say its system is taken to be in the one that the source is in.
      const crs = look.crs === null || look.crsProblem !== null ? target.crs.name : null;
      const job = await jobs.follow(
        await api.bringVersion(target.id, upload, { ...reading, file: look.file, layer: look.layer, name: target.name, crs }),
      );
      if (job.state !== 'done' || !job.result?.version) return;
      [source.value, version.value] = [target, job.result.version];
    } catch (error) {
      notices.complain(error);
      if (upload !== undefined) await api.dropUpload(upload).catch(() => undefined);
    }
  }

  function layerFor(target: SourceInfo, looks: LayerLook[]): LayerLook | null {
    const spatial = looks.filter((look) => look.attributesOnly === isBare(target));
    const fitting = spatial.length > 0 ? spatial : looks;
    return fitting.find((look) => look.layer === target.layer) ?? fitting.find((look) => look.layer === target.name) ?? fitting[0] ?? null;
  }

  async function compareBy(key: string): Promise<void> {
    busy.value = true;
    try {
      const job = await jobs.follow(await api.compareVersion(source.value!.id, version.value!.versionId, key));
      if (job.result?.version) version.value = job.result.version;
    } catch (error) {
      notices.complain(error);
    } finally {
      busy.value = false;
    }
  }

  /** Opens the hand-over screen with one part of the comparison. */
  async function handOverPart(part: keyof DifferenceRows): Promise<void> {
    const [target, { versionId, key, fileName }] = [source.value!, version.value!];
    busy.value = true;
    try {
      const job = await jobs.follow(await api.partOfVersion(target.id, versionId, key!, part));
      const found = job.result?.part;
      if (!found) return;
      const of = found.sourceId === target.id ? target : await api.source(found.sourceId);
      exporting.show({
        source: of,
        sieve: null,
        tree: emptyTree(),
        name: `${target.name} ${part}`,
        picks: found.rows,
        pickedAs: WORDS[part](fileName, target.fileName),
      });
    } catch (error) {
      notices.complain(error);
    } finally {
      busy.value = false;
    }
  }

  async function accept(): Promise<void> {
    const [target, { versionId }] = [source.value!, version.value!];
    source.value = version.value = null;
    await exchange(target, versionId);
  }

  async function drop(): Promise<void> {
    const [target, dropped] = [source.value, version.value];
    source.value = version.value = null;
    if (target && dropped) await api.dropVersion(target.id, dropped.versionId).catch(notices.complain);
  }

  /** Puts another version in the place of the one in use, which can be put back the same way. */
  async function exchange(target: SourceInfo, versionId: number): Promise<void> {
    try {
      const job = await jobs.follow(await api.acceptVersion(target.id, versionId));
      if (job.state !== 'done') return;
      await workspace.load();
      picks.forget(target.id);
      sifting.refresh();
      const now = workspace.sources.find(({ id }) => id === target.id);
      notices.say(`${target.name} now has ${counted(now?.rows ?? 0)} features. The version before it can be put back.`);
    } catch (error) {
      notices.complain(error);
    }
  }

  return { source, version, busy, importing, comparing, compareBy, handOverPart, accept, drop, exchange };
});
