import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyTree, parseFilter, TableBuilder, type Derivation, type Group, type ZoneFigure } from '@clean-sieve/core';
import { Area, Sieve, Source, SourceColumn, Workspace } from '../store/entities.ts';
import { entities, openStore, type Entities } from '../store/store.ts';
import { putColumns, saveTable } from '../store/table_store.ts';
import { ColumnStates, type FromElsewhere } from './column_states.ts';

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-states-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const COUNT: ZoneFigure = { kind: 'count', column: null, weight: null, unit: null, several: 'each' };
const treeOf = (filter: string): Group => ({ ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr: parseFilter(filter).expr }] });
/** A condition about something by its identity. */
const about = (op: string, id: number): Group => {
  const expr = { op: 's_intersects', args: [{ property: 'geometry' }, { op, args: [id] }] };
  return { ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr }] };
};

/** Trees with risk and code, wards with name, and a sieve of the trees. */
async function workspace() {
  const store = await openStore(join(folder, `${Math.random()}.sqlite`), { migrate: true });
  const em = entities(store);
  const own = em.create(Workspace, { name: 'w', asOf: null });
  const area = em.create(Area, { name: 'Harbour', shape: { type: 'Point', coordinates: [1, 2] }, workspace: own });
  await em.flush();
  const saved = (name: string, row: Record<string, unknown>) => {
    const builder = new TableBuilder();
    builder.addFeature({ type: 'Point', coordinates: [1, 2] }, row);
    const description = { name, fileName: name, format: 'csv', layer: null, encoding: null, role: 'layer' as const };
    return saveTable(entities(store), builder.finish(), { ...description, notes: [], remarks: [], invalidShapes: 0 });
  };
  const [trees, wards] = [await saved('Trees', { risk: 1, code: 'a' }), await saved('Wards', { name: 'x', code: 'a' })];
  const sieve = em.create(Sieve, {
    ...{ source: trees, name: 'Risky', tree: treeOf('risk > 0'), colour: 0, visible: true, mentions: [] },
  });
  await em.flush();
  return { store, trees, wards, sieve: sieve.id, area: area.id, em: () => entities(store) };
}
const statesNow = (em: Entities, asOf = 100) => ColumnStates.of(em, asOf);

test('a figure is behind when its sieve, what that asks, its features or the day change, and not otherwise', async () => {
  const { em, store, trees, wards, sieve, area } = await workspace();
  const zoned: FromElsewhere = {
    kind: 'zoned',
    source: trees,
    sieve,
    called: 'Risky of Trees',
    figure: { ...COUNT, kind: 'max', column: 'risk' },
    of: '',
  };
  let state = (await statesNow(em())).stateOf(zoned);
  const changed = async (asOf = 100) => {
    const now = (await statesNow(em(), asOf)).stateOf(zoned);
    const differs = now !== state;
    state = now;
    return differs;
  };
  const put = (tree: Group) => em().nativeUpdate(Sieve, { id: sieve }, { tree });
  expect(await changed()).toBe(false);
  expect(await changed(101)).toBe(false);
  await put(treeOf('risk > 1'));
  expect(await changed()).toBe(true);
  await put(treeOf("risk > 1 AND code = 'a'"));
  expect(await changed()).toBe(true);
  await em().nativeUpdate(SourceColumn, { source: trees, name: 'code' }, { stamp: 'other' });
  expect(await changed()).toBe(true);
  // What nothing asks about does not matter.
  await em().nativeUpdate(SourceColumn, { source: wards, name: 'code' }, { stamp: 'other' });
  await em().nativeUpdate(Area, { id: area }, { name: 'Quay' });
  await em().nativeUpdate(Sieve, { id: sieve }, { name: 'Other' });
  expect(await changed()).toBe(false);
  await put(about('AREA', area));
  expect(await changed()).toBe(true);
  await em().nativeUpdate(Area, { id: area }, { shape: { type: 'Point', coordinates: [3, 4] } });
  expect(await changed()).toBe(true);
  await put(treeOf("seen > AS_OF(-1, 'years')"));
  expect(await changed()).toBe(true);
  expect(await changed(101)).toBe(true);
  await em().nativeUpdate(Source, { id: trees }, { shapes: 'repaired' });
  expect(await changed(101)).toBe(true);
  await store.close();
});

test('a joined column is behind when a key or its column is stored anew', async () => {
  const { em, store, trees, wards } = await workspace();
  const like = { spaces: false, case: false, accents: false, zeros: false };
  const joined: FromElsewhere = {
    ...{ kind: 'joined', source: wards, table: 'Wards', pairs: [{ own: 'code', other: 'code' }], like },
    ...{ column: 'name', several: 'refuse', of: '' },
  };
  const of = (await statesNow(em())).stateOf(joined);
  await em().nativeUpdate(SourceColumn, { source: trees, name: 'risk' }, { stamp: 'other' });
  expect((await statesNow(em())).isBehind({ ...joined, of })).toBe(false);
  await em().nativeUpdate(SourceColumn, { source: wards, name: 'name' }, { stamp: 'other' });
  expect((await statesNow(em())).isBehind({ ...joined, of })).toBe(true);
  await em().nativeDelete(SourceColumn, { source: wards, name: 'name' });
  expect((await statesNow(em())).stateOf(joined)).toBe('gone');
  await store.close();
});

test('what would be made of itself through sieves and joins is found', async () => {
  const { em, store, trees, wards, sieve } = await workspace();
  const zoned: Derivation = { kind: 'zoned', source: trees, sieve, called: 'Risky of Trees', figure: COUNT, of: '' };
  const own = { source: wards, column: 'risky' };
  expect((await statesNow(em())).roundThrough(own, zoned)).toBe(null);
  // The trees' sieve asks a sieve of the wards, which asks the figure.
  const many = em();
  const wardsSieve = many.create(Sieve, {
    ...{ source: wards, name: 'Many', tree: treeOf('risky > 3'), colour: 0, visible: true, mentions: [] },
  });
  await many.flush();
  await em().nativeUpdate(Sieve, { id: sieve }, { tree: about('SIEVE', wardsSieve.id) });
  expect((await statesNow(em())).roundThrough(own, zoned)).not.toBe(null);
  expect((await statesNow(em())).isAskedElsewhere(wards)).toBe(true);
  // A joined column of the trees that is taken from the figure, and asked by the sieve.
  await em().nativeUpdate(Sieve, { id: sieve }, { tree: treeOf('of_ward > 3') });
  expect((await statesNow(em())).roundThrough(own, zoned)).toBe(null);
  const like = { spaces: false, case: false, accents: false, zeros: false };
  const joined: Derivation = {
    ...{ kind: 'joined', source: wards, table: 'Wards', pairs: [{ own: 'code', other: 'code' }], like },
    ...{ column: 'risky', several: 'refuse', of: '' },
  };
  const column = { name: 'of_ward', type: 'text' as const, chunks: [], dictionary: null };
  await putColumns(em(), trees, [{ column, derivation: joined }]);
  expect((await statesNow(em())).roundThrough(own, zoned)).toEqual({ source: trees, column: 'of_ward' });
  await store.close();
});
