import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { serveSimulated, type Simulated } from '../simulated_service/serve_simulated.ts';
import { sift, type SiftCounts, type SiftOptions } from './sift.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-cli-'));
let service: Simulated;
beforeAll(async () => {
  service = (await serveSimulated(join(import.meta.dirname, '../../../../demo/files'), 0, () => 0))!;
});
afterAll(() => {
  service.close();
  rmSync(folder, { recursive: true, force: true });
});
afterEach(() => delete process.env.CLEAN_SIEVE_KEY);

const at = (mood: string) => `${service.address.replace(/reports$/, mood)}/collections/storm_reports`;
const run = async (mood: string, options: SiftOptions) => (await sift(at(mood), options)) as SiftCounts;

test('what of a filter the service decided, what was decided here, and how much came over are told', async () => {
  const where = "severity >= 4 AND CASEI(note) LIKE CASEI('%LANE%')";
  const asked = await run('reports', { where });
  expect(asked).toMatchObject({ pushed: 'severity >= 4', here: "CASEI(note) LIKE CASEI('%LANE%')", unknown: null });
  expect(asked.read).toBe(asked.fetched);
  const plain = await run('plain', { where });
  expect(plain).toMatchObject({ pushed: null, here: where, fetched: 5200, read: 5200, kept: asked.kept });
  // Of those that have a severity of 4 or more, and those of which it is blank.
  expect(plain.unknown).toBeGreaterThan(0);
  const out = join(folder, 'lane.geojson');
  await run('reports', { where, out });
  expect((JSON.parse(readFileSync(out, 'utf8')) as { features: unknown[] }).features).toHaveLength(asked.kept);
});

test('the numbers of the stack are about all features, so nothing is left to the service', async () => {
  const { stack, pushed, here, fetched } = await run('reports', { where: 'severity >= 4 AND open = TRUE', explain: true });
  expect({ pushed, here, fetched }).toEqual({ pushed: null, here: 'severity >= 4 AND open = TRUE', fetched: 5200 });
  expect(stack![0].reach).toBe(5200);
});

test('where nothing comes the filter is still checked against the columns', async () => {
  expect(await run('reports', { where: 'severity > 9' })).toMatchObject({ read: 0, kept: 0, fetched: 0 });
  await expect(run('reports', { where: "severity > 9 AND kin = 'a'" })).rejects.toThrow(/kin/);
});

test('which collection is named, or the only one; a key stands in the environment', async () => {
  expect(await sift(service.address, { where: 'severity = 5' })).toMatchObject({ pushed: 'severity = 5' });
  await expect(sift(service.address, { layer: 'wells' })).rejects.toThrow('has no collection wells: storm_reports; name one with --layer');
  await expect(run('locked', {})).rejects.toThrow('wants a key');
  process.env.CLEAN_SIEVE_KEY = 'X-Report-Key: gannet-7431';
  expect(await run('locked', { where: 'severity = 5' })).toMatchObject({ pushed: 'severity = 5' });
  process.env.CLEAN_SIEVE_KEY = 'gannet-7431';
  await expect(run('locked', {})).rejects.toThrow('CLEAN_SIEVE_KEY is a header and its value');
});
