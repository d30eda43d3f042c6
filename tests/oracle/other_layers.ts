import { call, maskOf, TableBuilder, type Call, type Expr, type FeatureTable, type Operand, type OperandNames } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { crsNamed } from '../../packages/server/src/crs/epsg.ts';
import type { Random } from './random_lists.ts';
import type { Records } from './records.ts';

/** What filters of a table can name beside its columns. */
export interface OtherOperands {
  /** Shapes of the source `others`. */
  others: (Geometry | null)[];
  /** Which of them the sieve `some others` keeps. */
  some: boolean[];
  /** Which features of the table itself the sieve `mine` keeps. */
  mine: boolean[];
}

export const NAMES: OperandNames = { sources: ['others'], sieves: ['some others', 'mine'] };

/** @param mine which features of the table itself a sieve keeps */
export function anyOperands(random: Random, { another }: Records, mine: boolean[]): OtherOperands {
  const others = random.many(1, 12, () => (random.chance(0.1) ? null : another(random)));
  return { others, some: others.map(() => random.chance(0.6)), mine };
}

/** A source or a sieve, by its name. */
export function anyLayer(random: Random): Call {
  return random.pick([call('SOURCE', 'others'), call('SIEVE', 'some others'), call('SIEVE', 'mine')]);
}

/** Shapes of a layer as the other geometry library is asked about them, and which feature of the table each one is. */
export function shapesOfLayer(
  { op, args: [name] }: Call,
  operands: OtherOperands,
  own: readonly (Geometry | null)[],
): { shapes: (Geometry | null)[]; own: number[] | null } {
  if (name === 'mine') {
    const rows = own.flatMap((_, row) => (operands.mine[row] ? [row] : []));
    return { shapes: rows.map((row) => own[row]), own: rows };
  }
  return { shapes: operands.others.filter((_, i) => op === 'SOURCE' || operands.some[i]), own: null };
}

/** The same as the engine takes them. */
export function engineOperands({ others, some, mine }: OtherOperands, table: FeatureTable, { place }: Records): Map<string, Operand> {
  const builder = new TableBuilder();
  for (const shape of others) builder.addFeature(shape, null);
  const theirs = place.system === null ? builder.finish() : { ...builder.finish(), crs: crsNamed(place.system) };
  const kept = (flags: boolean[]) =>
    maskOf(
      flags.flatMap((flag, row) => (flag ? [row] : [])),
      flags.length,
    );
  return new Map([
    ['SOURCE others', { key: 'others', table: theirs, rows: null }],
    ['SIEVE some others', { key: 'some others', table: theirs, rows: kept(some) }],
    ['SIEVE mine', { key: 'mine', table, rows: kept(mine) }],
  ]);
}

/** Whether an operand is a source or a sieve. */
export function isLayer(expr: Expr): expr is Call {
  return typeof expr === 'object' && 'op' in expr && (expr.op === 'SOURCE' || expr.op === 'SIEVE');
}
