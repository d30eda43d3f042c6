import { emptyTree, type Group } from '@clean-sieve/core';
import type { JobState, SieveInfo, WorkspaceState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { nextTick } from 'vue';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { useSifting } from './sifting.ts';
import { useWholeCounts } from './whole_counts.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: a job of counting ends when it is told to.
const realFetch = globalThis.fetch;
let jobs: Map<string, JobState>;
let cancelled: string[];
const treeOf = (n: number): Group => ({
  ...emptyTree(),
  children: [{ kind: 'condition', id: 'c', expr: { op: '>=', args: [{ property: 'n' }, n] } }],
});
const sieve: SieveInfo = {
  ...{ id: 1, sourceId: 1, name: 'sieve', tree: treeOf(0), colour: 0, visible: true, style: null, view: null, mentions: [], version: 1 },
};
const fetchedFrom = { address: 'postgresql://h/d', collection: 't', filter: null, leftOut: [], askedAt: '', matched: 9000, came: 3 };
const live = { held: 'x', conditions: [], sample: { wanted: 3, of: 9000 } };
const source = {
  ...{ id: 1, name: 'source', role: 'layer', rows: 9000, held: 3, takenAt: '2026-01-01T00:00:00.000Z', shapes: 'original', columns: [] },
  ...{ older: [], notes: [], geometryTypes: {}, extent: null, fetchedFrom: { ...fetchedFrom, live } },
};
const state = {
  ...{ name: 'test', asOf: null, today: '2026-11-24', sources: [source], sieves: [sieve], areas: [], feeds: [], feedsAt: null },
  ...{ simulatedAt: null, codeLists: [] },
};
const estimated = { total: 9000, kept: { about: 6000 }, unknown: null, rows: [], nearMisses: {}, without: {}, findings: [] };

beforeEach(async () => {
  setActivePinia(createPinia());
  [jobs, cancelled] = [new Map(), []];
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Promise.resolve(Response.json(state as unknown as WorkspaceState));
    if (path.endsWith('/sift')) return Promise.resolve(new Response(packSift(estimated, new Uint32Array([0b101]))));
    if (path.endsWith('/wholes')) {
      const id = `job-${jobs.size}`;
      const job: JobState = { id, label: '', state: 'running', share: 0, progress: '', error: null, result: null };
      jobs.set(id, job);
      return Promise.resolve(Response.json(job));
    }
    const [, id] = /^\/jobs\/([^/]+)/.exec(path) ?? [];
    if (id === undefined) return Promise.resolve(Response.json(sieve));
    if (init?.method && init.method !== 'GET') cancelled.push(id);
    return Promise.resolve(Response.json(jobs.get(id)));
  };
  await useWorkspace().load();
  useWorkspace().openSieve(1);
});
afterEach(async () => {
  await useWorkspace().save();
  globalThis.fetch = realFetch;
});

/** Waits until something is so. */
async function until(holds: () => boolean): Promise<void> {
  for (let i = 0; i < 300 && !holds(); i++) await new Promise((done) => setTimeout(done, 10));
  await nextTick();
  expect(holds()).toBe(true);
}
const counts = { total: 9001, kept: 5999, unknown: 2, came: 0, rows: [], nearMisses: {}, without: {}, decided: { c: 'there' as const } };
const end = (id: string, result: Partial<JobState>) => jobs.set(id, { ...jobs.get(id)!, ...result });

test('estimated numbers stand until all is counted; what was kept of the sample stays what is shown', async () => {
  const [sifting, whole] = [useSifting(), useWholeCounts()];
  await until(() => jobs.has('job-0'));
  expect([sifting.kept, sifting.keptHere, whole.state]).toEqual([{ about: 6000 }, 2, 'counting']);
  end('job-0', { state: 'done', result: { counts } });
  await until(() => whole.state === 'counted');
  expect([sifting.kept, sifting.keptHere, sifting.active?.head.total, whole.decided]).toEqual([5999, 2, 9001, { c: 'there' }]);
  // Those are not counted once more.
  await new Promise((done) => setTimeout(done, 500));
  expect(jobs.size).toBe(1);
});

test('other conditions give up what is being counted, and what comes of that is not taken', async () => {
  const [workspace, sifting, whole] = [useWorkspace(), useSifting(), useWholeCounts()];
  await until(() => jobs.has('job-0'));
  workspace.changeSieve(1, { tree: treeOf(1) }, 'edit');
  await until(() => jobs.has('job-1'));
  end('job-0', { state: 'done', result: { counts } });
  await until(() => cancelled.includes('job-0'));
  expect([sifting.kept, whole.state]).toEqual([{ about: 6000 }, 'counting']);
  end('job-1', { state: 'done', result: { counts: null } });
  await until(() => whole.state === 'cannot');
  expect(sifting.kept).toEqual({ about: 6000 });
});

test('counting is stopped and begun again; why it failed is told', async () => {
  const [sifting, whole] = [useSifting(), useWholeCounts()];
  await until(() => jobs.has('job-0'));
  whole.stop();
  await until(() => cancelled.includes('job-0'));
  expect(whole.state).toBe('stopped');
  whole.again();
  await until(() => jobs.has('job-1'));
  end('job-1', { state: 'failed', error: 'Nothing answers at h:5432.' });
  await until(() => whole.state === 'failed');
  expect([whole.words, sifting.kept]).toEqual(['Nothing answers at h:5432.', { about: 6000 }]);
});
