import type { Client } from '../../e2e/support/api_client.ts';
import type { Step } from '../../packages/server/src/steps.ts';
import { condition, extractOf, points, treeOf, type Base } from './base.ts';

/** The workspace as a client is told of it. */
interface Told {
  sources: { id: number; name: string; rows: number; shapes: string; older: { id: number; rows: number }[] }[];
  sieves: { id: number; name: string | null; tree: object }[];
  areas: { id: number; name: string }[];
  feeds: { id: string }[];
}

/** Something that is done to a workspace and can be stopped at any step. */
export interface Operation {
  name: string;
  /** The steps that it goes through, and how often at most. */
  steps: Partial<Record<Step, number>>;
  /** @param acknowledged called with everything that is answered for good */
  run(client: Client, base: Base, acknowledged: (what: string) => void): Promise<void>;
  /** What is wrong with what stands there afterwards, given what was acknowledged; null for nothing. */
  wrong(told: Told, base: Base, acknowledged: readonly string[], client: Client): string | null | Promise<string | null>;
}

const job = async <T>(client: Client, method: string, path: string, body?: unknown): Promise<T> =>
  client.job<T>((await client.send<{ id: string }>(method, path, body)).id);
const sourceOf = ({ sources }: Told, id: number) => sources.find((source) => source.id === id);
const versionIn = async (client: Client, places: number, rows: number) => {
  const upload = await client.upload({ 'newer.geojson': points(rows) });
  const layer = { file: 'newer.geojson', layer: 'newer', name: 'newer' };
  const { version } = await job<{ version: { versionId: number } }>(client, 'POST', `api/sources/${places}/versions`, { upload, layer });
  await job(client, 'POST', `api/sources/${places}/versions/${version.versionId}/accept`);
};
/** All or nothing: of a number of things, none is there unless all are, and all are where that was acknowledged. */
const allOrNone = (there: number, all: number, acknowledged: readonly string[]): string | null =>
  (there !== 0 && there !== all) || (there === 0 && acknowledged.length > 0)
    ? `${there} of ${all} are there, acknowledged: ${acknowledged.join()}`
    : null;

export const OPERATIONS: Operation[] = [
  {
    name: 'bringing in two layers',
    steps: { commit: 9, 'commit done': 9, 'layer read': 2, 'layers stored': 1, 'layers put to use': 1, answer: 3 },
    async run(client, _, acknowledged) {
      await client.bringIn({ 'one.geojson': points(120), 'two.geojson': points(7) });
      acknowledged('both');
    },
    wrong: ({ sources }, _, acknowledged) =>
      allOrNone(sources.filter(({ name }) => name === 'one' || name === 'two').length, 2, acknowledged),
  },
  {
    name: 'editing a sieve again and again',
    steps: { commit: 12, 'commit done': 12, answer: 12 },
    async run(client, { sieve }, acknowledged) {
      for (let n = 1; n <= 12; n++) {
        const tree = treeOf(condition('n', { op: '>=', args: [{ property: 'n' }, n] }));
        await client.send('PATCH', `api/sieves/${sieve}`, { name: `edit ${n}`, tree });
        acknowledged(String(n));
      }
    },
    wrong({ sieves }, { sieve }, acknowledged) {
      const { name, tree } = sieves.find(({ id }) => id === sieve)!;
      const last = Number(acknowledged.at(-1) ?? 0);
      const at = Number(name!.slice('edit '.length));
      if (at !== last && at !== last + 1) return `${name} is there, ${last} was acknowledged`;
      return at > 0 && !JSON.stringify(tree).includes(`{"property":"n"},${at}]`) ? `${name} has the conditions of another` : null;
    },
  },
  {
    name: 'renaming a source and an area that conditions name',
    steps: { commit: 2, 'commit done': 2, answer: 2 },
    async run(client, { squares, area }, acknowledged) {
      await client.send('PATCH', `api/sources/${squares}`, { name: 'plots' });
      acknowledged('source');
      await client.send('PATCH', `api/areas/${area}`, { name: 'there' });
      acknowledged('area');
    },
    wrong(told, { squares, area, sieve }, acknowledged) {
      const tree = JSON.stringify(told.sieves.find(({ id }) => id === sieve)!.tree);
      const source = sourceOf(told, squares)!.name;
      const place = told.areas.find(({ id }) => id === area)!.name;
      if (!tree.includes(`{"op":"SOURCE","args":[${squares}]}`)) return `the source is ${squares}, the condition ${tree}`;
      if (!tree.includes(`{"op":"AREA","args":[${area}]}`)) return `the area is ${area}, the condition ${tree}`;
      if (acknowledged.includes('source') && source !== 'plots') return 'the new name of the source is lost';
      return acknowledged.includes('area') && place !== 'there' ? 'the new name of the area is lost' : null;
    },
  },
  {
    name: 'a newer version, put to use and taken back',
    steps: { commit: 8, 'commit done': 8, 'layer read': 1, 'versions exchanged': 2, answer: 4 },
    async run(client, { places }, acknowledged) {
      await versionIn(client, places, 60);
      acknowledged('newer');
      const { older } = sourceOf(await client.get<Told>('api/workspace'), places)!;
      await job(client, 'POST', `api/sources/${places}/versions/${older[0].id}/accept`);
      acknowledged('older');
    },
    wrong(told, { places }, acknowledged) {
      const { rows, older } = sourceOf(told, places)!;
      const state = `${rows}/${older.map((one) => one.rows).join()}`;
      const possible = acknowledged.includes('older') ? ['50/60'] : acknowledged.includes('newer') ? ['60/50', '50/60'] : ['50/', '60/50'];
      return possible.includes(state) ? null : `rows are ${state}, acknowledged: ${acknowledged.join()}`;
    },
  },
  {
    name: 'an extract, made again and deleted',
    steps: { commit: 3, 'commit done': 3, 'extract written': 2, 'extract named': 2, 'extract noted': 2, 'extract forgotten': 1, answer: 3 },
    async run(client, { places, extract }, acknowledged) {
      await job(client, 'POST', 'api/extracts', extractOf(places, 'second'));
      acknowledged('made');
      await job(client, 'POST', `api/extracts/${extract}/again`);
      acknowledged('again');
      await client.send('DELETE', `api/extracts/${extract}`);
      acknowledged('deleted');
    },
    async wrong(_, { extract }, acknowledged, client) {
      const { extracts } = await client.get<{ extracts: { id: string; title: string; again: object | null }[] }>('api/extracts');
      if (acknowledged.includes('made') && !extracts.some(({ title }) => title === 'second')) return 'the extract is lost';
      if (acknowledged.includes('again') && !extracts.some(({ again }) => again !== null)) return 'the one made again is lost';
      const there = extracts.some(({ id }) => id === extract);
      if (acknowledged.includes('deleted') && there) return 'the deleted extract is back';
      return !there && !acknowledged.includes('again') ? 'the first extract is gone' : null;
    },
  },
  {
    name: 'repairing shapes',
    steps: { commit: 1, 'commit done': 1, answer: 1 },
    async run(client, { squares }, acknowledged) {
      await job(client, 'POST', `api/sources/${squares}/repairs`);
      acknowledged('repaired');
    },
    wrong: (told, { squares }, acknowledged) =>
      sourceOf(told, squares)!.shapes === 'original' && acknowledged.length > 0 ? 'the repair is lost' : null,
  },
  {
    name: 'a live source, brought in and asked anew',
    steps: { commit: 5, 'commit done': 5, 'layer read': 2, 'answer held': 2, answer: 3 },
    async run(client, { service }, acknowledged) {
      const { survey } = await job<{ survey: { collections: object[] } }>(client, 'POST', 'api/services/surveys', {
        ...{ address: service, key: null },
      });
      const [collection] = survey.collections;
      const request = { address: service, conformance: [], collection, filter: null, leftOut: [], into: null, live: true };
      const begun = await client.send<{ job: { id: string } }>('POST', 'api/services/fetches', { ...request, name: 'wells' });
      const { sourceId } = await client.job<{ sourceId: number }>(begun.job.id);
      acknowledged('brought in');
      await job(client, 'POST', `api/sources/${sourceId}/asks`, {});
      acknowledged('asked');
    },
    // Whatever was held is let go of, and asked for when it is wanted.
    async wrong({ sources }, _, acknowledged, client) {
      const wells = sources.filter(({ name }) => name === 'wells');
      const problem = allOrNone(wells.length, 1, acknowledged);
      if (problem !== null || wells.length === 0) return problem;
      const { kept } = await client.send<{ kept: number[] }>('POST', `api/sources/${wells[0].id}/counts`, { trees: [treeOf()] });
      return kept[0] === 23 ? null : `the service has 23 wells, the source ${kept[0]}`;
    },
  },
  {
    name: 'publishing, removing and bringing back a sieve',
    steps: { commit: 3, 'commit done': 3, answer: 3 },
    async run(client, { places }, acknowledged) {
      const sieve = await client.send<{ id: number }>('POST', 'api/sieves', {
        sourceId: places,
        name: 'published',
        tree: treeOf(),
        colour: 1,
        visible: true,
      });
      acknowledged('added');
      await client.send('POST', `api/sieves/${sieve.id}/feeds`, { frozen: true });
      acknowledged('published');
      await client.send('DELETE', `api/sieves/${sieve.id}`);
      acknowledged('removed');
    },
    wrong({ sieves, feeds }, _, acknowledged) {
      const there = sieves.some(({ name }) => name === 'published');
      if (acknowledged.includes('removed') && (there || feeds.length > 0)) return 'the removed sieve is back';
      if (!there && feeds.length > 0) return 'a feed of no sieve';
      if (acknowledged.includes('published') && there && feeds.length === 0) return 'the feed is lost';
      return acknowledged.includes('added') && !acknowledged.includes('published') && !there ? 'the sieve is lost' : null;
    },
  },
  {
    name: 'removing a source with its sieves',
    steps: { commit: 1, 'commit done': 1, answer: 1 },
    async run(client, { places }, acknowledged) {
      await client.send('DELETE', `api/sources/${places}`);
      acknowledged('removed');
    },
    wrong(told, { places, sieve }, acknowledged) {
      const [source, own] = [sourceOf(told, places) !== undefined, told.sieves.some(({ id }) => id === sieve)];
      if (source !== own) return 'source and sieve are not gone together';
      return source && acknowledged.length > 0 ? 'the removed source is back' : null;
    },
  },
];
