import type { JobState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { atLeast, estimated, sampledSieve, sampledState, until } from './sample_for_tests.ts';
import { useSifting } from './sifting.ts';
import { useWholeCounts } from './whole_counts.ts';
import { useWorkspace } from './workspace.ts';

// The server is played: a job of counting ends when it is told to.
const realFetch = globalThis.fetch;
let jobs: Map<string, JobState>;
let cancelled: string[];

beforeEach(async () => {
  setActivePinia(createPinia());
  [jobs, cancelled] = [new Map(), []];
  globalThis.fetch = (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Promise.resolve(Response.json(sampledState()));
    if (path.endsWith('/sift')) return Promise.resolve(new Response(packSift(estimated, new Uint32Array([0b101]))));
    if (path.endsWith('/wholes')) {
      const id = `job-${jobs.size}`;
      const job: JobState = { id, label: '', state: 'running', share: 0, progress: '', error: null, result: null };
      jobs.set(id, job);
      return Promise.resolve(Response.json(job));
    }
    const [, id] = /^\/jobs\/([^/]+)/.exec(path) ?? [];
    if (id === undefined) return Promise.resolve(Response.json(sampledSieve));
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
  workspace.changeSieve(1, { tree: atLeast(1) }, 'edit');
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
