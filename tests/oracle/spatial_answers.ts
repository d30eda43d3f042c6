import { call, property, type Call, type Expr } from '@clean-sieve/core';
import { spawnSync } from 'node:child_process';
import type { Geometry } from 'geojson';
import { anyLayer, isLayer, shapesOfLayer, type OtherOperands } from './other_layers.ts';
import { NotTold, type Spatial } from './plain_truth.ts';
import type { Random } from './random_lists.ts';
import type { Records } from './records.ts';

const RELATIONS = [
  's_intersects',
  's_intersects',
  's_disjoint',
  's_contains',
  's_within',
  's_touches',
  's_crosses',
  's_overlaps',
  's_equals',
  'S_COVERS',
  'S_COVEREDBY',
];
const DISTANCES = [30_000, 60_000, 111_000, 250_000];

/** Makes relations in space to shapes that are the table's, or are made as they are. */
export class AnyRelation {
  readonly #random: Random;
  readonly #records: Records;
  readonly #operands: OtherOperands | null;
  /** Distances of a great many shapes take the other library too long. */
  readonly #many: boolean;

  /** @param operands other operands of which to speak; null for none */
  constructor(random: Random, records: Records, operands: OtherOperands | null, many: boolean) {
    this.#random = random;
    this.#records = records;
    this.#operands = operands;
    this.#many = many;
  }

  next(): Call {
    const random = this.#random;
    const [geometry, metres] = [property('geometry'), random.pick(DISTANCES) * this.#records.place.scale];
    if (this.#operands && random.chance(0.2))
      return call('S_SHARE_IN', geometry, this.#one(), random.pick([0.5, 25, 50, 100, 1 + random.next() * 98]));
    // Beside a pole distances between edges take long.
    if (this.#operands && random.chance(0.2) && this.#records.place.scale === 1)
      return call('S_NEAREST', geometry, this.#one(), random.whole(1, 9));
    const subject = this.#operands && random.chance(0.2) ? call('CENTROID', geometry) : geometry;
    if (!this.#many && random.chance(0.15)) return call('S_DWITHIN', subject, this.#place(), metres, 'm');
    const sides = [subject, this.#place()];
    return call(random.pick(RELATIONS), ...(random.chance(0.8) ? sides : sides.reverse()));
  }

  #place(): Expr {
    const random = this.#random;
    if (!this.#operands || random.chance(0.8)) return this.#one();
    return call(random.pick(['ANY_OF', 'ALL_OF']), ...random.many(2, 3, () => this.#one()));
  }

  #one(): Expr {
    const { shapes, another } = this.#records;
    const random = this.#random;
    if (this.#operands && random.chance(0.6)) return anyLayer(random);
    let place = random.chance(0.3) && shapes.length > 0 ? random.pick(shapes) : null;
    // A filter cannot speak of a shape without a position.
    while (isEmpty(place)) place = another(random);
    return place as Expr;
  }
}

const isEmpty = (shape: Geometry | null) => shape === null || ('coordinates' in shape && shape.coordinates.length === 0);

/** With the sides exchanged, what the first does the second does back. */
const BACK: Record<string, string> = {
  s_contains: 's_within',
  s_within: 's_contains',
  S_COVERS: 'S_COVEREDBY',
  S_COVEREDBY: 'S_COVERS',
};

const isSubject = (expr: Expr) => typeof expr === 'object' && ('property' in expr || ('op' in expr && expr.op === 'CENTROID'));
const isSeveral = (expr: Expr): expr is Call => typeof expr === 'object' && 'op' in expr && /^(ANY|ALL)_OF$/.test(expr.op);

/** Asks GEOS and GeographicLib, through another binding than the engine's, about every shape and every relation used. */
export function spatialAnswers({ shapes, place, whole }: Records, used: readonly Call[], operands: OtherOperands | null): Spatial {
  if (used.length === 0) return () => null;
  const wholes = (some: readonly (Geometry | null)[]) => some.map((shape) => shape && whole(shape));
  const placeOf = (operand: Expr) => {
    if (!isLayer(operand) || !operands) return { shapes: wholes([operand as Geometry]), own: null };
    const { shapes: theirs, own } = shapesOfLayer(operand, operands, shapes);
    return { shapes: wholes(theirs), own };
  };
  const calls = new Map(used.map((one) => [JSON.stringify(one), one]));
  const asks = [...calls.values()].map(({ op, args }) => {
    const turned = !isSubject(args[0]);
    const [subject, operand] = turned ? [args[1], args[0]] : args;
    return {
      // Of several places, disjoint is to meet none.
      op: op === 's_disjoint' ? 's_intersects' : turned ? (BACK[op] ?? op) : op,
      centroid: 'op' in (subject as object),
      places: (isSeveral(operand) ? operand.args : [operand]).map(placeOf),
      all: isSeveral(operand) && operand.op === 'ALL_OF',
      amount: args[2],
    };
  });
  const script = new URL('./relate.py', import.meta.url).pathname;
  const run = spawnSync('/usr/bin/python3', [script], {
    input: `${JSON.stringify({ shapes: wholes(shapes), asks, system: place.system, scale: place.scale })}\n`,
    maxBuffer: 2 ** 30,
  });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const told = JSON.parse(run.stdout.toString()) as (boolean | null)[][];
  const answers = new Map([...calls.keys()].map((key, i) => [key, told[i]]));
  return (one, row) => {
    const answer = answers.get(JSON.stringify(one))![row];
    if (answer === null) throw new NotTold();
    return one.op === 's_disjoint' ? !answer : answer;
  };
}
