import { FilterError } from '../filters/filter_error.ts';
import { lengthUnit } from '../space/units.ts';
import type { Operator, SpaceRelation } from './operator.ts';
import { checkDistance, checkShapes } from './shape_operands.ts';

type Measure = Pick<Operator, 'name' | 'arity' | 'help' | 'check' | 'prose'>;

function measure(kind: Extract<SpaceRelation['kind'], 'distance' | 'nearest' | 'share'>, plain: Measure): Operator {
  return {
    ...plain,
    syntax: { kind: 'function' },
    standard: false,
    result: 'boolean',
    deniable: true,
    evaluation: { by: 'space', relation: { kind } },
  };
}

const S_DWITHIN = measure('distance', {
  name: 'S_DWITHIN',
  arity: [3, 5],
  help: {
    usage: "S_DWITHIN(geometry, POINT(lon lat), 500, 'm')",
    meaning: 'comes within the distance, on the ellipsoid; metres unless a unit is named',
  },
  check: (call) => {
    const { args, at } = call;
    checkShapes(call, { round: true, several: true });
    checkDistance(call, args[2], args[3], [at(2), at(3)]);
    if (args[4] !== undefined && args[4] !== 'plane')
      throw new FilterError(
        "The way of measuring is 'plane', or left out for the ellipsoid",
        at(4),
        "For example: S_DWITHIN(geometry, POINT(lon lat), 500, 'm', 'plane')",
      );
  },
  prose: ([a, b, distance, unit = 'm', way], { say }) =>
    `${say(a)} comes within ${say(distance)} ${lengthUnit(unit as string) ?? ''} of ${say(b)}${way === 'plane' ? ' in the plane' : ''}`,
});

const S_NEAREST = measure('nearest', {
  name: 'S_NEAREST',
  arity: [3, 3],
  help: {
    usage: 'S_NEAREST(geometry, POINT(lon lat), 10)',
    meaning: 'is among the so many that are nearest, of all features of the source; what is as near as the last is too',
  },
  check: (call) => {
    const { args, at, example } = call;
    checkShapes(call, {});
    if (typeof args[2] !== 'number' || !Number.isInteger(args[2]) || args[2] < 1)
      throw new FilterError('How many are kept is a whole number, 1 or more', at(2), example);
  },
  prose: ([a, b, amount], { say }) => `${say(a)} is among the ${say(amount)} nearest to ${say(b)}`,
});

const S_SHARE_IN = measure('share', {
  name: 'S_SHARE_IN',
  arity: [3, 3],
  help: {
    usage: "S_SHARE_IN(geometry, AREA('name'), 50)",
    meaning: 'has at least so many percent of its area, length or points in it',
  },
  check: (call) => {
    const { args, at, example } = call;
    checkShapes(call, { round: true });
    if (typeof args[2] !== 'number' || !(args[2] > 0) || args[2] > 100)
      throw new FilterError('The share is in percent, above 0 and at most 100', at(2), example);
  },
  prose: ([a, b, percent], { say }) => `${say(a)} has at least ${say(percent)} % in ${say(b)}`,
});

export const MEASURES: readonly Operator[] = [S_DWITHIN, S_NEAREST, S_SHARE_IN];
