import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Group } from '@clean-sieve/core';
import { WriteTurn } from '../store/write_turn.ts';
import { RefusedError, SiftService, TooMuchError, UnwantedError, type AskOptions, type Limits } from './sift_service.ts';

const folder = mkdtempSync(join(tmpdir(), 'sift-service-'));
const worker = join(folder, 'worker.mjs');
// A thread that takes as many milliseconds as the source's number says, or never ends; a curve ends when it is not wanted.
writeFileSync(
  worker,
  `import { workerData } from 'node:worker_threads';
   export default async function run({ number, task: { kind, about: { sourceId } } }) {
     if (kind === 'curve') while (Atomics.load(workerData.unwanted, 0) !== number);
     if (kind === 'curve') return { unwanted: true };
     if (sourceId < 0) for (;;) {}
     await new Promise((done) => setTimeout(done, sourceId));
     return kind === 'check' ? { refused: 'not so' } : { answer: kind };
   }`,
);
let service: SiftService;
const serviceOf = (limits: Limits | null = null) => (service = new SiftService(worker, '', new WriteTurn(), limits));
afterEach(() => service.close());
afterAll(() => rmSync(folder, { recursive: true }));

const tree: Group = { kind: 'group', id: 'root', combine: 'all', children: [] };
const QUESTIONS = {
  sift: { today: null, tree },
  curve: { tree, condition: 'c', side: 'low' },
  aggregate: { tree, aggregation: { kind: 'histogram', column: 'n', bins: 3 } },
  check: { tree },
  forget: null,
} as const;
const ask = <K extends keyof typeof QUESTIONS>(kind: K, millis: number, options?: AskOptions) =>
  service.ask<K>(kind, { sourceId: millis, asOf: 0 }, QUESTIONS[kind], options);

test('news comes before questions, the count before what is drawn beside it; else the order stays', async () => {
  serviceOf();
  const order: string[] = [];
  const named = (kind: keyof typeof QUESTIONS, name: string) => ask(kind, 5).then(() => order.push(name));
  const first = named('aggregate', 'begun');
  await Promise.all([first, named('aggregate', 'one'), named('aggregate', 'two'), named('sift', 'count'), named('forget', 'news')]);
  expect(order).toEqual(['begun', 'news', 'count', 'one', 'two']);
});

test('what nobody waits for any more is not begun', async () => {
  serviceOf();
  const leaving = new AbortController();
  const first = ask('sift', 60);
  const unwanted = ask('curve', 60_000, { signal: leaving.signal });
  leaving.abort();
  await expect(unwanted).rejects.toThrow(UnwantedError);
  expect(await first).toBe('sift');
  await expect(ask('sift', 1, { signal: leaving.signal })).rejects.toThrow(UnwantedError);
});

test('what is under way ends when nobody waits for it any more, and its thread goes on', async () => {
  serviceOf();
  const leaving = new AbortController();
  const unwanted = ask('curve', 1, { signal: leaving.signal });
  const next = ask('sift', 1);
  setTimeout(() => leaving.abort(), 50);
  await expect(unwanted).rejects.toThrow(UnwantedError);
  expect(await next).toBe('sift');
});

test('a refusal is one, and the next question is answered', async () => {
  serviceOf();
  await expect(ask('check', 1)).rejects.toThrow(RefusedError);
  expect(await ask('sift', 1)).toBe('sift');
});

test('strangers: an answer that takes too long is given up, and others are answered after it', async () => {
  // The next one is answered by another thread, which takes its time to start on a busy machine.
  serviceOf({ time: 4000, waiting: 2 });
  const endless = ask('sift', -1);
  const next = ask('sift', 1);
  await expect(endless).rejects.toThrow(new TooMuchError('The answer takes longer than 4 seconds; ask for less at a time'));
  expect(await next).toBe('sift');
});

test('strangers: not more than so many wait', async () => {
  serviceOf({ time: 5000, waiting: 2 });
  const begun = ask('sift', 80);
  const waiting = [ask('sift', 1), ask('sift', 1)];
  await expect(ask('sift', 1)).rejects.toThrow('Too many questions are waiting');
  expect(await Promise.all([begun, ...waiting])).toEqual(['sift', 'sift', 'sift']);
});

test('strangers: one who has left does not keep the thread for long', async () => {
  serviceOf({ time: 60_000, waiting: 2 });
  const leaving = new AbortController();
  const endless = ask('sift', -1, { signal: leaving.signal });
  const next = ask('sift', 1);
  setTimeout(() => leaving.abort(), 100);
  await expect(endless).rejects.toThrow(UnwantedError);
  expect(await next).toBe('sift');
});
