import { gunzipSync } from 'node:zlib';
import { mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { checkFilter, emptyTree, parseFilter, treeOfExpr, valuesMentioned, type Group, type TreeNode } from '@clean-sieve/core';
import type { Jobs } from '../jobs/job_service.ts';
import type { JobResult, JobTask } from '../jobs/job_tasks.ts';
import { CodeList, Sieve, Source, SourceColumn, Workspace } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { asOfDay, sourceInfo } from '../workspace_state.ts';

/** Ready sieves of the demo workspace, in CQL2. */
export interface DemoSieve {
  source: string;
  name: string | null;
  where: string;
  colour: number;
  visible?: boolean;
  /** Number, from 0, of the top-level conditions that are switched off. */
  off?: number[];
}

/** Contents of demo.json: what the generator wrote, and the workspace that goes with it. */
interface Demo {
  name: string;
  asOf: string;
  sources: { file: string; name: string; role: 'layer' | 'ground' }[];
  /** A collection of the simulated service, as a live source. */
  live: { name: string; collection: string };
  codeLists: { name: string; entries: [string, string][]; of: { source: string; column: string }[] }[];
  sieves: DemoSieve[];
}

const demoOf = async (folder: string) => JSON.parse(await readFile(join(folder, 'demo.json'), 'utf8')) as Demo;

/** The name of a workspace whose demo is being made. */
export const UNNAMED = '';

/**
 * Fills an empty database, or the empty workspace that is there, with the demo through the same import as any file. Leaves
 * nothing if it fails.
 * @param simulated address of the simulated service; null where it is not there, and neither is the live source then
 */
export async function makeDemo(store: Store, jobs: Jobs, folder: string, simulated: string | null): Promise<void> {
  const demo = await demoOf(folder);
  const em = entities(store);
  const there = await em.findOne(Workspace, { id: { $gt: 0 } });
  const before = there && { name: there.name, asOf: there.asOf };
  const workspace = there ?? em.create(Workspace, { name: UNNAMED, asOf: demo.asOf });
  Object.assign(workspace, { name: UNNAMED, asOf: demo.asOf });
  await em.flush();
  const unpacked = await mkdtemp(join(tmpdir(), 'clean-sieve-'));
  try {
    for (const { file, name, role } of demo.sources) {
      const fileName = file.replace(/\.gz$/, '');
      const path = join(unpacked, fileName);
      await writeFile(path, gunzipSync(await readFile(join(folder, file))));
      await done(jobs, `Bringing in ${fileName}`, {
        ...{ kind: 'import', folder: unpacked, role },
        layers: [{ file: fileName, layer: fileName.replace(/\.[^.]*$/, ''), name }],
      });
    }
    if (simulated !== null) await makeLive(jobs, demo.live, simulated, join(unpacked, 'live'), await asOfDay(em));
    for (const list of demo.codeLists) await addCodeList(store, list);
    const isThere = ({ source }: DemoSieve) => simulated !== null || source !== demo.live.name;
    for (const sieve of demo.sieves.filter(isThere)) await addSieve(store, sieve);
    workspace.name = demo.name;
    await em.flush();
  } catch (error) {
    await em.nativeDelete(Source, {});
    await em.nativeDelete(CodeList, {});
    if (before) Object.assign(workspace, before);
    else em.remove(workspace);
    await em.flush();
    throw error;
  } finally {
    await rm(unpacked, { recursive: true, force: true });
  }
}

/** Carries a job out. */
async function done(jobs: Jobs, label: string, task: JobTask): Promise<JobResult> {
  const { state, error, result } = await jobs.settled(jobs.start(label, task).id);
  if (state !== 'done' || !result) throw new Error(`${label}: ${error}`);
  return result;
}

/** Asks the simulated service for a live source. */
async function makeLive(jobs: Jobs, { name, collection: id }: Demo['live'], address: string, folder: string, asOf: number): Promise<void> {
  const { survey } = await done(jobs, `Looking at ${address}`, { kind: 'survey', address, key: null });
  const collection = survey?.collections.find((one) => one.id === id);
  if (!survey || !collection) throw new Error(`${address} has no ${id}`);
  const query = { address: survey.address, conformance: survey.conformance, collection, filter: null, leftOut: [] };
  await mkdir(folder);
  await done(jobs, `Asking for ${name}`, {
    kind: 'fetch',
    request: { ...query, name, into: null, live: true, sample: null },
    key: null,
    folder,
    asOf,
  });
}

/** The simulated service is wherever this start has put it; the sources that are from it are told by its collection too. */
export async function followSimulated(em: Entities, folder: string, address: string): Promise<void> {
  const { live } = await demoOf(folder);
  for (const { id, fetchedFrom } of await em.find(Source, { fetchedFrom: { $ne: null } }))
    if (fetchedFrom && fetchedFrom.collection === live.collection && SIMULATED.test(fetchedFrom.address))
      await em.nativeUpdate(Source, { id }, { fetchedFrom: { ...fetchedFrom, address } });
}
const SIMULATED = /^http:\/\/127\.0\.0\.1:\d+\/reports$/;

async function addCodeList(store: Store, { name, entries, of }: Demo['codeLists'][number]): Promise<void> {
  const em = entities(store);
  const workspace = await em.findOneOrFail(Workspace, { id: { $gt: 0 } });
  const codeList = em.create(CodeList, { name, entries, workspace });
  for (const { source, column } of of)
    (await em.findOneOrFail(SourceColumn, { source: { name: source }, name: column })).codeList = codeList;
  await em.flush();
}

async function addSieve(store: Store, { source: name, where, off = [], ...rest }: DemoSieve): Promise<void> {
  const em = entities(store);
  const source = await em.findOneOrFail(Source, { name }, { populate: ['columns'] });
  const parsed = parseFilter(where);
  checkFilter(parsed, sourceInfo(source).columns);
  let next = 1;
  const tree = treeOfExpr(parsed.expr, emptyTree(), () => `c${next++}`);
  const children = tree.children.map((node, i): TreeNode => (off.includes(i) ? { ...node, off: true } : node));
  const whole: Group = { ...tree, children };
  const wording = { columns: sourceInfo(source).columns, asOf: await asOfDay(em) };
  em.create(Sieve, {
    source,
    mentions: rest.name ? valuesMentioned(rest.name, whole, wording) : [],
    name: rest.name,
    colour: rest.colour,
    visible: rest.visible ?? true,
    tree: whole,
  });
  await em.flush();
}
