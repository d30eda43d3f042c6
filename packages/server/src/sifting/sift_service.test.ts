import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WriteTurn } from '../store/write_turn.ts';
import { RefusedError, SiftService, TooMuchError, UnwantedError, type Limits } from './sift_service.ts';
import type { SiftTask } from './tasks.ts';

const folder = mkdtempSync(join(tmpdir(), 'sift-service-'));
const worker = join(folder, 'worker.mjs');
// A thread that takes as many milliseconds as the source's number says, or never ends.
writeFileSync(
  worker,
  `export default async function run({ kind, sourceId }) {
     if (sourceId < 0) for (;;) {}
     await new Promise((done) => setTimeout(done, sourceId));
     return kind === 'check' ? { refused: 'not so' } : { answer: kind };
   }`,
);
let service: SiftService;
const serviceOf = (limits: Limits | null = null) => (service = new SiftService(worker, '', new WriteTurn(), limits));
afterEach(() => service.close());
afterAll(() => rmSync(folder, { recursive: true }));

const tree = { kind: 'group', id: 'root', combine: 'all', children: [] } as const;
const task = (kind: 'sift' | 'curve' | 'histogram' | 'forget' | 'check', millis: number): SiftTask => {
  const about = { sourceId: millis, asOf: 0 };
  if (kind === 'forget') return { ...about, kind };
  const group = { ...tree, children: [] };
  if (kind === 'curve') return { ...about, kind, tree: group, condition: 'c', side: 'low' };
  if (kind === 'histogram') return { ...about, kind, tree: group, column: 'n', bins: 3 };
  return kind === 'sift' ? { ...about, kind, today: null, tree: group } : { ...about, kind, tree: group };
};

test('news comes before questions, the count before what is drawn beside it; else the order stays', async () => {
  const asked = serviceOf();
  const order: string[] = [];
  const ask = (kind: Parameters<typeof task>[0], name: string) => asked.ask(task(kind, 5)).then(() => order.push(name));
  const first = ask('histogram', 'begun');
  await Promise.all([first, ask('curve', 'curve'), ask('histogram', 'one'), ask('histogram', 'two'), ask('sift', 'count'), ask('forget', 'news')]); // prettier-ignore
  expect(order).toEqual(['begun', 'news', 'count', 'one', 'two', 'curve']);
});

test('what nobody waits for any more is not begun', async () => {
  const asked = serviceOf();
  const leaving = new AbortController();
  const first = asked.ask(task('sift', 60));
  const unwanted = asked.ask(task('curve', 60_000), { signal: leaving.signal });
  leaving.abort();
  await expect(unwanted).rejects.toThrow(UnwantedError);
  expect(await first).toBe('sift');
  await expect(asked.ask(task('sift', 1), { signal: leaving.signal })).rejects.toThrow(UnwantedError);
});

test('a refusal is one, and the next question is answered', async () => {
  const asked = serviceOf();
  await expect(asked.ask(task('check', 1))).rejects.toThrow(RefusedError);
  expect(await asked.ask(task('sift', 1))).toBe('sift');
});

test('strangers: an answer that takes too long is given up, and others are answered after it', async () => {
  const asked = serviceOf({ time: 300, waiting: 2 });
  const endless = asked.ask(task('sift', -1));
  const next = asked.ask(task('sift', 1));
  await expect(endless).rejects.toThrow(new TooMuchError('The answer takes longer than 0.3 seconds; ask for less at a time')); // prettier-ignore
  expect(await next).toBe('sift');
});

test('strangers: not more than so many wait', async () => {
  const asked = serviceOf({ time: 5000, waiting: 2 });
  const begun = asked.ask(task('sift', 80));
  const waiting = [asked.ask(task('sift', 1)), asked.ask(task('sift', 1))];
  await expect(asked.ask(task('sift', 1))).rejects.toThrow('Too many questions are waiting');
  expect(await Promise.all([begun, ...waiting])).toEqual(['sift', 'sift', 'sift']);
});

test('strangers: one who has left does not keep the thread for long', async () => {
  const asked = serviceOf({ time: 60_000, waiting: 2 });
  const leaving = new AbortController();
  const endless = asked.ask(task('sift', -1), { signal: leaving.signal });
  const next = asked.ask(task('sift', 1));
  setTimeout(() => leaving.abort(), 100);
  await expect(endless).rejects.toThrow(UnwantedError);
  expect(await next).toBe('sift');
});
