import { call, property, type Call, type Expr } from '@clean-sieve/core';
import { spawnSync } from 'node:child_process';
import type { Geometry } from 'geojson';
import { NotTold, type Spatial } from './plain_truth.ts';
import type { Random } from './random.ts';
import type { Records } from './records.ts';

const RELATIONS = ['s_intersects', 's_intersects', 's_disjoint', 's_contains', 's_within', 's_touches', 's_crosses', 's_overlaps', 's_equals']; // prettier-ignore
const DISTANCES = [30_000, 60_000, 111_000, 250_000];

/** A relation in space to a shape that is one of the table's, or is made as they are. */
export function anyRelation(random: Random, { shapes, place: { scale }, another }: Records): Call {
  const make = () => another(random);
  const own = random.chance(0.3) && shapes.length > 0 ? random.pick(shapes) : null;
  let place = own ?? make();
  // A filter cannot speak of a shape without a position.
  while (isEmpty(place)) place = make();
  if (random.chance(0.15)) return call('S_DWITHIN', property('geometry'), place, random.pick(DISTANCES) * scale, 'm');
  const sides = [property('geometry'), place as Expr];
  return call(random.pick(RELATIONS), ...(random.chance(0.8) ? sides : sides.reverse()));
}

const isEmpty = (shape: Geometry) => 'coordinates' in shape && shape.coordinates.length === 0;

/** With the sides exchanged, what the first does the second does back. */
const BACK: Record<string, string> = { s_contains: 's_within', s_within: 's_contains' };

/** Asks GEOS and GeographicLib, through another binding than the engine's, about every shape and every relation used. */
export function spatialAnswers({ shapes, place }: Records, used: readonly Call[]): Spatial {
  if (used.length === 0) return () => null;
  const keys = [...new Set(used.map((one) => JSON.stringify(one)))];
  const asks = keys.map((key) => {
    const { op, args } = JSON.parse(key) as { op: string; args: [Geometry & { property?: string }, Geometry, number?] };
    const turned = args[0].property === undefined;
    return { op: turned ? (BACK[op] ?? op) : op, place: turned ? args[0] : args[1], metres: args[2] };
  });
  const script = new URL('./relate.py', import.meta.url).pathname;
  const run = spawnSync('/usr/bin/python3', [script], { input: `${JSON.stringify({ shapes, asks, system: place.system, scale: place.scale })}\n`, maxBuffer: 2 ** 30 }); // prettier-ignore
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const told = JSON.parse(run.stdout.toString()) as (boolean | null)[][];
  const answers = new Map(keys.map((key, i) => [key, told[i]]));
  return (one, row) => {
    const answer = answers.get(JSON.stringify(one))![row];
    if (answer === null) throw new NotTold();
    return answer;
  };
}
