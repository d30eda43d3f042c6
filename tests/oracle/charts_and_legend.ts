import {
  BLANK,
  mapConditions,
  inSystem,
  REST,
  type BySteps,
  type ByValues,
  type Classing,
  type Group,
  type Value,
} from '@clean-sieve/core';
import { conditionsOfClass } from '../../packages/web/src/style/class_conditions.ts';
import type { Case } from './agree.ts';
import { differs, keptRows, type Question } from './question.ts';
import type { Random } from './random_lists.ts';
import type { Served } from './served.ts';

/** A table in a running server. */
interface Asked {
  served: Served;
  made: Case;
  sourceId: number;
}

const TEXT = 'name "of" it';
const NUMBER = 'row_no';

const sum = (numbers: readonly number[]): number => numbers.reduce((all, one) => all + one, 0);
const located = ({ made: { table } }: Asked, tree: Group): Group =>
  mapConditions(tree, (expr) => (table.crs.definition === null ? expr : inSystem(expr, table.crs)));

function classOf(classing: Classing, value: Value | undefined): number {
  if (value === null || value === undefined) return BLANK;
  if (classing.kind === 'steps') return classing.bounds.filter((bound) => Number(value) >= bound).length;
  const at = classing.classes.findIndex((one) => one.value === value);
  return at < 0 ? REST : at;
}

/** The classes that map and legend go by, and what a small map or a condition made of each of them keeps. */
export async function inLegend(asked: Asked, { tree, truths }: Question, random: Random): Promise<string | null> {
  const { served, made, sourceId } = asked;
  const { rows } = made.records;
  const texts = [...new Set(rows.map((row) => row[TEXT]).filter((value) => typeof value === 'string'))];
  const mark = { colour: 0, shape: 0 };
  const byValues: ByValues = { kind: 'values', column: TEXT, classes: texts.slice(0, 3).map((value) => ({ value, mark })) };
  const bounds = [...new Set([random.whole(0, rows.length), random.whole(0, rows.length)])].sort((a, b) => a - b);
  const bySteps: BySteps = { kind: 'steps', column: NUMBER, method: 'own', bounds, ramp: 'tide', middle: null };
  for (const classing of [byValues, bySteps]) {
    const bytes = await served.bytes(`api/sources/${sourceId}/classes`, { method: 'POST', body: JSON.stringify({ classing }) });
    const plain = rows.map((row) => classOf(classing, row[classing.column]));
    const found = differs(`the classes by ${classing.kind}`, [...bytes], plain);
    if (found) return found;
    const number = random.pick([...new Set(plain)]);
    const conditions = conditionsOfClass(classing, { name: classing.column, type: classing.kind === 'values' ? 'text' : 'number' }, number);
    const narrowed: Group = {
      ...{ kind: 'group', id: 'of class', combine: 'all' },
      children: [located(asked, tree), ...conditions.map((expr, i) => ({ kind: 'condition' as const, id: `class ${i}`, expr }))],
    };
    const { head } = await served.sift(sourceId, narrowed);
    const kept = plain.filter((one, row) => one === number && truths[row] === true).length;
    const wrong = differs(`the map of class ${number} by ${classing.kind}`, head.kept, kept);
    if (wrong) return wrong;
  }
  return null;
}

/** Bars, groups and a histogram beside what is kept, plainly counted. */
export async function inCharts(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const { served, made, sourceId } = asked;
  const { rows } = made.records;
  const ask = async <T>(aggregation: object) =>
    (await served.send<{ aggregate: T }>('POST', `api/sources/${sourceId}/aggregate`, { tree: located(asked, tree), aggregation }))
      .aggregate;
  const kept = keptRows(truths);
  const histogram = await ask<{ all: number[]; kept: number[]; low: number; high: number } | null>({
    ...{ kind: 'histogram', column: NUMBER, bins: 7 },
  });
  const counts = histogram && [sum(histogram.all), sum(histogram.kept)];
  const groups = await ask<{ by: Value[]; kept: { rows: number; sum: number | null } }[]>({ kind: 'groups', by: [TEXT], of: NUMBER });
  const texts = [...new Set(kept.map((row) => rows[row][TEXT] ?? null))];
  const plain = texts.map((text) => {
    const own = kept.filter((row) => (rows[row][TEXT] ?? null) === text);
    return [text, own.length, sum(own.map((row) => Number(rows[row][NUMBER])))];
  });
  const sorted = (list: unknown[][]) => list.map((one) => JSON.stringify(one)).sort();
  return (
    (rows.length === 0 ? null : differs('the histogram', counts, [rows.length, kept.length])) ??
    differs(
      'the table of groups',
      sorted(groups.filter((one) => one.kept.rows > 0).map((one) => [one.by[0], one.kept.rows, one.kept.sum])),
      sorted(plain),
    )
  );
}
