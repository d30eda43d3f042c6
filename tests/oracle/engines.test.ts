import {
  call,
  CannotError,
  FilterError,
  Geos,
  LocalEngine,
  parseDate,
  Sifter,
  type Aggregation,
  type Group,
  type Selection,
  type SourceEngine,
} from '@clean-sieve/core';
import { anyCase, AS_OF, type Case } from './agree.ts';
import { engineOperands } from './other_layers.ts';
import { PlainEngine } from './plain_engine.ts';
import { questionOf } from './question.ts';
import { Random } from './random_lists.ts';
import { SMALL, type ValueKind } from './records.ts';

/** Another seed every day, so that the same tables are not asked for ever; it stands in the name of a test that fails. */
const first = Math.floor(Date.now() / 86_400_000) * 1000;

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

function localEngine({ table, records, operands }: Case): LocalEngine {
  const sifter = new Sifter(table, parseDate(AS_OF)!.day, table.crs, geos);
  if (operands) sifter.operands = engineOperands(operands, table, records);
  return new LocalEngine(sifter);
}

/**
 * An answer as both engines may be expected to give it: features by their row, times by when they are, sums as far as the order
 * of adding goes, and what has no order of its own sorted.
 */
function comparable(answer: unknown, size: number): unknown {
  if (typeof answer === 'string' && /^feature \d+$/.test(answer)) return Number(answer.slice(8));
  if (typeof answer === 'string' && /^\d{4}-\d\d-\d\dT/.test(answer))
    return Date.parse(/(Z|[+-]\d\d:\d\d)$/.test(answer) ? answer : `${answer}Z`);
  if (typeof answer === 'number') return answer === 0 ? 0 : answer;
  if (Array.isArray(answer)) return answer.map((one) => comparable(one, size));
  if (typeof answer !== 'object' || answer === null) return answer;
  return Object.fromEntries(
    Object.entries(answer as Record<string, unknown>)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, value]) => [
        name,
        (name === 'sum' || name === 'mean' || name === 'median') && typeof value === 'number'
          ? rounded(value, size)
          : comparable(value, size),
      ]),
  );
}
/** To what adding up in another order leaves the same; sums beside which the parts are huge are not told apart. */
const rounded = (value: number, size: number) => (size > 1e200 ? 'huge' : Math.abs(value) < 1e-9 ? 0 : Number(value.toPrecision(11)));

const inAnyOrder = (answer: unknown) =>
  Array.isArray(answer) && typeof answer[0] === 'object' ? answer.map((one) => JSON.stringify(one)).sort() : answer;

function anyAggregations({ records: { types, place } }: Case, random: Random): Aggregation[] {
  const names = Object.keys(types);
  const column = random.pick(names);
  const aggregations: Aggregation[] = [
    { kind: 'values', column },
    { kind: 'histogram', column, bins: random.whole(1, 40) },
    { kind: 'figures', column },
    { kind: 'times', column },
    {
      kind: 'groups',
      by: random.chance(0.5) ? [random.pick(names)] : [random.pick(names), random.pick(names)],
      of: random.pick([null, column]),
    },
  ];
  const ordered = names.filter((name) => ['number', 'date', 'datetime'].includes(types[name]));
  const method = random.pick(['equal', 'quantile'] as const);
  aggregations.push({ kind: 'pairs', x: random.pick(ordered), y: column, most: [random.whole(1, 40), random.whole(1, 30)] });
  aggregations.push({ kind: 'boxes', of: random.pick(ordered), by: random.pick([null, random.pick(names)]) });
  aggregations.push({ kind: 'breaks', column: random.pick(ordered), method, count: random.whole(2, 9) });
  // The place of a shape in another system is another matter.
  if (place.system === null) aggregations.push({ kind: 'extent' });
  return aggregations;
}

async function aggregated(engine: SourceEngine, made: Case, selection: Selection, asked: readonly Aggregation[]) {
  const told: unknown[] = [];
  for (const aggregation of asked) {
    const of = 'column' in aggregation ? aggregation.column : 'of' in aggregation ? aggregation.of : null;
    const answer = comparable(await engine.aggregate(selection, aggregation), of === null ? 0 : sizeOf(made, of));
    told.push(JSON.stringify(aggregation), inAnyOrder(answer));
  }
  return told;
}

/** What both say of a selection, as far as it does not depend on how each was asked. */
async function everything(engine: SourceEngine, made: Case, selection: Selection, random: Random) {
  const { types, rows } = made.records;
  const names = Object.keys(types);
  const order = Array.from({ length: random.whole(0, 3) }, () => ({ column: random.pick(names), descending: random.chance(0.5) }));
  const [offset, limit] = [random.whole(0, 40), random.whole(1, 70)];
  const aggregations = anyAggregations(made, random);
  const page = await engine.page(selection, order, offset, limit);
  const keys = await engine.keys(selection, order, 0, 1e6);
  const batches = [];
  for await (const batch of engine.batches(selection, 7)) batches.push(batch.map(({ key, cells }) => ({ key, cells })));
  const told: Record<string, unknown> = {
    sifted: { ...(await engine.sift(selection)), mask: null },
    counts: await engine.counts([selection.tree, { ...selection.tree, children: [] }]),
    // Columns that conditions show of what they are about are another matter.
    page: { total: page.total, features: page.features.map(({ key, cells }) => ({ key, cells: cells.slice(0, names.length) })) },
    keys,
    places: await Promise.all(page.features.map(({ key }) => engine.place(selection, order, key))),
    batches,
  };
  const cell = rows.length === 0 ? '' : String(random.pick(rows)[random.pick(names)] ?? 'a');
  const searched = {
    text: cell.slice(0, random.whole(1, 4)) || 'E',
    columns: [random.pick(names), random.pick(names)],
    from: random.whole(0, 20),
    limit: 9,
  };
  told.search = await engine.search(selection, order, searched);
  told.aggregates = await aggregated(engine, made, selection, aggregations);
  const among = keys.filter((_, i) => i % 3 === 1);
  told.among = [
    await engine.keys({ ...selection, among }, order, 0, 1e6),
    await aggregated(engine, made, { ...selection, among }, aggregations),
  ];
  if (rows.length > 0) {
    const key = (await engine.keys({ tree: { ...selection.tree, children: [] } }, [], random.whole(0, rows.length - 1), 1))[0];
    const { reasons, kept, cells, geometryType } = await engine.explain(selection.tree, key);
    told.explained = { kept, cells, geometryType, reasons: reasons.map(({ id, level, outcome }) => [id, level, outcome]) };
  }
  return comparable(told, 0);
}

function sizeOf({ records: { rows, types } }: Case, column: string): number {
  const kind: ValueKind = types[column];
  return kind === 'number' ? rows.reduce((most, { [column]: value }) => Math.max(most, Math.abs(Number(value ?? 0))), 0) : 0;
}

test.each(SMALL.map((rows, i) => [rows, first + 500 + i]))(
  '%i rows, seed %i: both engines say the same of everything',
  async (rows, seed) => {
    const random = new Random(seed);
    const made = anyCase(random, rows, 12, seed % 3 === 0);
    const local = localEngine(made);
    let asked = 0;
    for (const { expr } of made.asked) {
      const question = questionOf(made, expr, random);
      if (!question) continue;
      asked++;
      const { tree, answers } = question;
      const conditions = tree.children.flatMap((child) => (child.kind === 'condition' && !child.off ? [child.id] : []));
      const plain = new PlainEngine(made.records, answers);
      for (const selection of [{ tree }, ...conditions.slice(0, 1).map((id) => ({ tree, nearMissesOf: id }))]) {
        const same = random.whole(0, 1e9);
        const said = await everything(local, made, selection, new Random(same));
        expect(said).toEqual(await everything(plain, made, selection, new Random(same)));
      }
    }
    expect(asked).toBeGreaterThan(0);
  },
);

test.each([65_537].map((rows, i) => [rows, first + 600 + i]))(
  '%i rows, seed %i: both engines aggregate to the same',
  async (rows, seed) => {
    const random = new Random(seed);
    const made = anyCase(random, rows, 0, false);
    const expr = call('<>', { property: 'row_no' }, rows - 1);
    const tree: Group = { kind: 'group', id: 'root', combine: 'all', children: [{ kind: 'condition', id: 'c', expr }] };
    const [local, plain] = [localEngine(made), new PlainEngine(made.records, () => made.records.rows.map((_, row) => row !== rows - 1))];
    const asked = anyAggregations(made, random);
    expect(await aggregated(local, made, { tree }, asked)).toEqual(await aggregated(plain, made, { tree }, asked));
  },
);

test('what a source cannot do it refuses, and columns and features that do not exist', async () => {
  const made = anyCase(new Random(3), 33, 1, false);
  const tree = { kind: 'group', id: 'root', combine: 'all', children: [] } as const;
  const [local, plain] = [localEngine(made), new PlainEngine(made.records, () => [])];
  expect(plain.abilities.size).toBe(0);
  await expect(plain.curve()).rejects.toThrow(CannotError);
  await expect(local.aggregate({ tree: { ...tree, children: [] } }, { kind: 'values', column: 'none such' })).rejects.toThrow(FilterError);
  for (const key of [33, -1, 0.5, 'feature 0']) await expect(local.explain({ ...tree, children: [] }, key)).rejects.toThrow(FilterError);
});

test('a question that nobody waits for ends with the reason', async () => {
  const made = anyCase(new Random(3), 100, 1, false);
  const tree = { kind: 'group' as const, id: 'root', combine: 'all' as const, children: [] };
  const leaving = new AbortController();
  const local = localEngine(made);
  const batches = local.batches({ tree }, 10, leaving.signal);
  expect((await batches.next()).value).toHaveLength(10);
  leaving.abort(new Error('gone'));
  await expect(batches.next()).rejects.toThrow('gone');
  await expect(local.sift({ tree }, leaving.signal)).rejects.toThrow('gone');
});
