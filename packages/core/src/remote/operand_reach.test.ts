import { parseFilter } from '../filters/parser.ts';
import { operandReaches } from './operand_reach.ts';

const reaches = (text: string) => operandReaches(parseFilter(text).expr).map(({ ref, metres }) => [`${ref.op} ${ref.args[0]}`, metres]);

test.each([
  ["S_INTERSECTS(geometry, SOURCE('a'))", [['SOURCE a', 0]]],
  ["NOT S_WITHIN(SIEVE('b'), geometry)", [['SIEVE b', 0]]],
  ["S_SHARE_IN(geometry, SOURCE('a'), 50)", [['SOURCE a', 0]]],
  ["S_DWITHIN(geometry, SOURCE('a'), 2, 'km') OR S_DWITHIN(geometry, SOURCE('a'), 300)", [['SOURCE a', 2000]]],
  [
    "S_DWITHIN(CENTROID(geometry), ANY_OF(SOURCE('a'), SIEVE('b')), 20) AND S_DISJOINT(geometry, SIEVE('b'))",
    [
      ['SOURCE a', 20],
      ['SIEVE b', 20],
    ],
  ],
  ["KEPT_BY(SIEVE('b'))", [['SIEVE b', 0]]],
  // How far off the others are matters, or a distance that is none on the ellipsoid.
  ["S_NEAREST(geometry, SOURCE('a'), 5)", [['SOURCE a', Infinity]]],
  ["S_DWITHIN(geometry, SOURCE('a'), 20, 'm', 'plane')", [['SOURCE a', Infinity]]],
  ['no > 3', []],
])('%s', (text, expected) => expect(reaches(text)).toEqual(expected));
