import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { trees, treesFile } from '../support/demo_data.ts';
import { TOP } from '../support/own_server.ts';

const file = join(mkdtempSync(join(tmpdir(), 'clean-sieve-shell-')), 'trees.geojson');
test.beforeAll(() => writeFileSync(file, treesFile));
const sift = (...args: string[]) =>
  JSON.parse(execFileSync(join(TOP, 'clean-sieve'), ['sift', file, ...args], { encoding: 'utf8' })) as {
    kept: number;
    stack: { level: number; condition: string; left: number; alone: number; without: number }[];
    findings: { kind: string; filter?: string; message: string }[];
  };
const number = (value: unknown) => (typeof value === 'number' ? value : NaN);
const poor = (p: Record<string, unknown>) => p.condition === 'poor';
const risky = (p: Record<string, unknown>) => number(p.storm_risk) > 60;
const count = (holds: (p: Record<string, unknown>) => boolean) => trees.filter(({ properties }) => holds(properties)).length;

test('text and JSON say the same; --explain has the numbers of the stack', () => {
  const text = sift('--where', "condition = 'poor' AND storm_risk > 60", '--explain');
  expect(text.kept).toBe(count((p) => poor(p) && risky(p)));
  expect(text.stack.slice(1).map(({ condition, left, alone, without }) => [condition, left, alone, without])).toEqual([
    ["condition = 'poor'", count(poor), count(poor), count(risky)],
    ['storm_risk > 60', text.kept, count(risky), count(poor)],
  ]);
  const json = {
    op: 'and',
    args: [
      { op: '=', args: [{ property: 'condition' }, 'poor'] },
      { op: '>', args: [{ property: 'storm_risk' }, 60] },
    ],
  };
  expect(sift('--where', JSON.stringify(json)).kept).toBe(text.kept);
});

test('--check prints what is probably not meant, with the mended filter, and writes nothing', () => {
  const { findings } = sift('--where', "condition = 'poor' OR condition = 'very poor' AND storm_risk > 60", '--check');
  expect(findings.map(({ kind, filter }) => [kind, filter])).toEqual([
    ['two-readings', "condition = 'poor' OR (condition = 'very poor' AND storm_risk > 60)"],
    ['two-readings', "(condition = 'poor' OR condition = 'very poor') AND storm_risk > 60"],
  ]);
  expect(findings[1].message).toContain(`${count((p) => (poor(p) || p.condition === 'very poor') && risky(p))} features`);
  const contradiction = sift('--where', "condition = 'poor' AND condition = 'good'", '--check').findings;
  expect(contradiction[0]).toMatchObject({ kind: 'contradiction', filter: "condition IN ('poor', 'good')" });
  // The mended filter can be run as it is.
  expect(sift('--where', contradiction[0].filter!).kept).toBe(count((p) => poor(p) || p.condition === 'good'));
});

test('an error names the place and what would be right', () => {
  const run = spawnSync(join(TOP, 'clean-sieve'), ['sift', file, '--where', 'storm_rsk > 60'], { encoding: 'utf8' });
  expect(run.status).not.toBe(0);
  expect(run.stderr).toContain('There is no column storm_rsk (at character 1). Did you mean storm_risk?');
  const area = spawnSync(join(TOP, 'clean-sieve'), ['sift', file, '--where', "S_WITHIN(geometry, AREA('x'))"], { encoding: 'utf8' });
  expect(area.stderr).toContain('There is no area x');
});

test('months, weekdays and circles from the shell', () => {
  const march = (p: Record<string, unknown>) => typeof p.planted === 'string' && p.planted.length >= 7 && p.planted.slice(5, 7) === '03';
  expect(sift('--where', 'MONTH(planted) = 3').kept).toBe(count(march));
  const sunday = (p: Record<string, unknown>) => typeof p.last_inspected === 'string' && new Date(p.last_inspected).getUTCDay() === 0;
  expect(sift('--where', 'WEEKDAY(last_inspected) = 7').kept).toBe(count(sunday));
  const round = "S_INTERSECTS(geometry, BUFFER(POINT(-12.0882 46.5946), 700, 'm'))";
  expect(sift('--where', round).kept).toBe(sift('--where', "S_DWITHIN(geometry, POINT(-12.0882 46.5946), 700, 'm')").kept);
});
