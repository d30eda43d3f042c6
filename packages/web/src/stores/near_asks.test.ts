import { nearInWords, type NearTold } from '@clean-sieve/core';
import type { JobState } from '@clean-sieve/server/api';
import { createPinia, setActivePinia } from 'pinia';
import { packSift } from '../../../server/src/api/sift_frame.ts';
import { useJobs } from './jobs.ts';
import { useNearAsks } from './near_asks.ts';
import { estimated, sampledSieve, sampledState, treeOf, until } from './sample_for_tests.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

const told: NearTold = {
  called: 'SOURCE source',
  source: 'source',
  features: 1,
  metres: 200,
  by: 'other',
  askedAt: '2026-11-24T10:00:00Z',
  remarks: ['No holes.'],
};
const near = { op: 'S_DWITHIN', args: [{ property: 'geometry' }, { op: 'SOURCE', args: ['source'] }, 50] };

// The server is played: it answers a sieve once it is told to, and has one job until then.
const realFetch = globalThis.fetch;
let [answers, forgotten]: [(() => void)[], number] = [[], 0];
let job: JobState;
beforeEach(async () => {
  setActivePinia(createPinia());
  [answers, forgotten] = [[], 0];
  job = { id: 'near', label: 'Asking', state: 'running', share: 0, progress: '', error: null, result: null };
  globalThis.fetch = async (address, init) => {
    const path = typeof address === 'string' ? address.replace('/api', '') : '';
    if (path === '/workspace') return Response.json(sampledState());
    if (path === '/asks') return Response.json({ asks: job.state === 'running' ? [job] : [] });
    if (path === '/asks/failed' && init?.method === 'DELETE') return Response.json({ forgotten: ++forgotten });
    if (path === '/jobs/near') return Response.json(job);
    if (!path.endsWith('/sift')) return Response.json(sampledSieve);
    await new Promise<void>((done) => answers.push(done));
    return new Response(packSift({ ...estimated, near: [told] }, new Uint32Array([0])));
  };
  await useWorkspace().load();
  useWorkspace().openSieve(1);
});
afterEach(async () => {
  job = { ...job, state: 'done' };
  await useWorkspace().save();
  await until(() => {
    for (const one of answers.splice(0)) one();
    return useSifting().busy === 0 && useJobs().jobs.length === 0;
  });
  globalThis.fetch = realFetch;
});

test('what a sieve waits for stands among the jobs until it has come or failed; then it is told, or asked for again', async () => {
  const [asks, jobs, sifting] = [useNearAsks(), useJobs(), useSifting()];
  await until(() => answers.length > 0);
  expect(asks.toldOf(near)).toBeNull();
  await until(() => jobs.jobs.length > 0);
  expect(jobs.jobs).toEqual([job]);
  // It is followed once, however often it is looked for.
  await new Promise((done) => setTimeout(done, 700));
  expect(jobs.jobs).toHaveLength(1);
  job = { ...job, state: 'failed', error: 'gone' };
  await until(() => jobs.jobs.length === 0);
  answers.pop()!();
  await until(() => sifting.busy === 0);
  expect(asks.toldOf(near)).toEqual(told);
  expect(asks.toldOf({ op: 'S_INTERSECTS', args: [{ property: 'geometry' }, { op: 'SIEVE', args: ['sieve'] }] })).toBeNull();
  expect(asks.toldOf({ op: '>', args: [{ property: 'n' }, 1] })).toBeNull();
  await asks.again();
  await until(() => answers.length > 0);
  expect(forgotten).toBe(1);
});

test('whether the open sieve is about such a source', () => {
  const [asks, workspace] = [useNearAsks(), useWorkspace()];
  expect(asks.isAsked).toBe(false);
  workspace.changeSieve(1, { tree: treeOf(near) }, 'edit');
  expect(asks.isAsked).toBe(true);
});

test('what was asked for in words', () => {
  expect(nearInWords(told)).toBe(
    'Of source a sample is held; what counts here is all of it in the extent of other and 200 m round it, features: 1. No holes.',
  );
});
