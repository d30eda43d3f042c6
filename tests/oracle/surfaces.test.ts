import { call, property, type Group, type TreeNode } from '@clean-sieve/core';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { runNote } from '../../packages/server/src/cli/rerun.ts';
import { anyCase, AS_OF } from './agree.ts';
import { Random } from './random_lists.ts';
import { anyRecords, firstOf } from './records.ts';
import { Served } from './served.ts';
import { surfaceDifference } from './surfaces.ts';
import { valuesDiffer, type WrittenFeature } from './written_values.ts';

/** Another seed every day; it stands in the name of a test that fails. */
const first = Math.floor(Date.now() / 86_400_000) * 1000 + 500;

let served: Served;
// The server is built first where its sources are newer.
beforeAll(async () => (served = await Served.start(AS_OF)), 120_000);
afterAll(() => served.stop());

const SIZES = [1, 33, 65, 100, 243];
test.each(SIZES.map((rows, i) => [rows, first + i]))(
  '%i rows, seed %i: every surface says the same',
  async (rows, seed) => {
    const random = new Random(seed);
    expect(await surfaceDifference(served, anyCase(random, rows, 6, false), random)).toBeNull();
  },
  120_000,
);

test('a wrong number on one surface is found and told', async () => {
  const random = new Random(2);
  const made = anyCase(random, 33, 1, false);
  const { truth } = made;
  made.truth = (expr, row) => (row === 32 ? truth(expr, row) !== true : truth(expr, row));
  expect(await surfaceDifference(served, made, random)).toMatch(/the head of the stack says/);
}, 60_000);

test('a wrong row, value or shape in a file is found and told', () => {
  const records = firstOf(anyRecords(new Random(1), 1), 1);
  records.rows[0] = { row_no: 0, 'name "of" it': 'oak', date_5: '2024-05-31' };
  records.types = { row_no: 'number', 'name "of" it': 'text', date_5: 'date' };
  records.shapes = [{ type: 'Point', coordinates: [1, 2] }];
  const right: WrittenFeature = { values: { row_no: 0, 'name "of" it': 'oak', date_5: { day: '2024-05-31' } }, at: [[1, 2]] };
  const told = (feature: Partial<WrittenFeature>, kept = [0]) => valuesDiffer('geopackage', [{ ...right, ...feature }], records, kept);
  expect(told({})).toBeNull();
  expect(told({}, [])).toMatch(/the rows are \[0\], not \[\]/);
  expect(told({ values: { ...right.values, 'name "of" it': 'Oak' } })).toMatch(/of row 0 is "Oak", not "oak"/);
  expect(told({ values: { ...right.values, date_5: '2024-05-30' } })).toMatch(/date_5 of row 0/);
  expect(told({ values: { row_no: 0, 'name "of" it': 'oak' } })).toMatch(/date_5 of row 0 is undefined/);
  expect(told({ at: [[1, 2.5]] })).toMatch(/the shape of row 0/);
});

test('what another sieve of the same source keeps is the same on the stack, in a feed, in an extract and made again', async () => {
  const random = new Random(7);
  const records = anyRecords(random, 97);
  const { sourceId, file } = await served.bringInRecords(records, 'siblings');
  const low: TreeNode = { kind: 'condition', id: 'low', expr: call('<', property('row_no'), 40) };
  await served.publish(sourceId, 'low ones', [low]);
  const third: TreeNode = { kind: 'condition', id: 'third', expr: call('=', call('%', property('row_no'), 3), 0) };
  const notLow: TreeNode = {
    kind: 'condition',
    id: 'not',
    expr: call('not', call('KEPT_BY', call('SIEVE', 'low ones'))),
  };
  const rows = [...Array(97).keys()].filter((row) => row % 3 === 0 && row >= 40);
  const tree: Group = { kind: 'group', id: 'root', combine: 'all', children: [third, notLow] };

  const { head, drawn } = await served.sift(sourceId, tree);
  expect(drawn.flatMap((bit, row) => (bit ? [row] : []))).toEqual(rows);
  expect(head.rows.find(({ id }) => id === 'not')).toMatchObject({
    reach: 33,
    left: rows.length,
    unknown: 0,
    alone: 57,
  });

  const feed = await served.publish(sourceId, 'thirds that are not low', tree.children);
  const { features } = await served.get<{ features: { properties: { row_no: number } }[] }>(`${feed}/items?limit=500`);
  expect(features.map(({ properties }) => properties.row_no)).toEqual(rows);

  const layer = {
    sourceId,
    tree,
    name: 'thirds',
    columns: [{ name: 'row_no', as: 'row_no', codes: 'code' }],
    shape: { kind: 'none' },
    crs: null,
    order: null,
    cut: null,
    colour: '#2c5b4b',
  };
  const request = { title: 'thirds', format: 'csv', layers: [layer], within: null, zip: false, coordinates: null, guarded: false };
  const { id } = await served.send<{ id: string }>('POST', 'api/extracts', request);
  const { extract } = await served.job<{ extract: { id: string } }>(id);
  const csv = (await served.bytes(`api/extracts/${extract.id}/thirds.csv`)).toString().trim().split('\r\n').slice(1);
  expect(csv.map(Number)).toEqual(rows);
  const note = join(served.folder, 'thirds.note.json');
  writeFileSync(note, await served.bytes(`api/extracts/${extract.id}/thirds.note.json`));
  expect(await runNote(note, [file], {})).toMatchObject({ identical: true, layers: [{ kept: rows.length, of: 97 }] });
}, 60_000);
