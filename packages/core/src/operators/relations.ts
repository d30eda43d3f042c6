import { checkShapes } from './shape_operands.ts';
import type { AreaWords, EngineRelation, Operator, PointPlace, SpaceRelation } from './operator.ts';

interface Relation {
  name: string;
  /** The other operand in the usage. */
  sample: string;
  meaning: string;
  verb: string;
  relation: SpaceRelation;
  standard?: false;
  /** Takes everything within a distance too. */
  round?: true;
}

/** A relation between the shape of a feature and another shape. */
export function relation({ name, sample, meaning, verb, relation, standard, round }: Relation): Operator {
  return {
    name,
    syntax: { kind: 'function' },
    arity: [2, 2],
    standard: standard ?? true,
    result: 'boolean',
    deniable: true,
    help: { usage: `${name.toUpperCase()}(geometry, ${sample})`, meaning },
    check: (call) => checkShapes(call, { several: true, round }),
    prose: ([a, b], { say }) => `${say(a)} ${verb} ${say(b)}`,
    evaluation: { by: 'space', relation },
  };
}

const POLYGON = 'POLYGON((…))';
const NOWHERE: EngineRelation['point'] = { first: 'nowhere', second: 'nowhere' };
const point = (first: PointPlace, second: PointPlace = first) => ({ first, second });

/** A relation that the geometry engine decides, as the filters have it and as conditions in space offer it. */
export function byEngine(plain: Omit<Relation, 'relation'>, area: AreaWords, engine: EngineRelation): Operator {
  return relation({ ...plain, relation: { kind: 'engine', area, ...engine } });
}

/** Spatial functions of OGC 21-065r2, by ISO 19125 / OGC 06-103r4. */
export const RELATIONS: readonly Operator[] = [
  relation({
    name: 's_intersects',
    sample: POLYGON,
    meaning: 'shares at least one point with the geometry',
    verb: 'meets',
    relation: {
      kind: 'meeting',
      denied: false,
      area: { words: 'Meeting', cut: true, test: 'meets it', points: true, common: true, turned: 's_intersects' },
    },
    round: true,
  }),
  byEngine(
    { name: 's_within', sample: POLYGON, meaning: 'lies in the geometry, not only on its edge', verb: 'lies within' },
    { words: 'Lying within', cut: true, test: 'lies within it', points: true, common: true, turned: 's_contains' },
    { prepared: { first: 'Within', second: 'Contains' }, holder: 'second', point: point('inside', 'nowhere') },
  ),
  byEngine(
    { name: 's_contains', sample: 'POINT(…)', meaning: 'holds the geometry in it', verb: 'contains' },
    { words: 'Containing', cut: false, test: 'contains it', points: false, turned: 's_within' },
    { prepared: { first: 'Contains', second: 'Within' }, holder: 'first', point: point('nowhere', 'inside') },
  ),
  byEngine(
    {
      name: 's_touches',
      sample: POLYGON,
      meaning: 'shares only edge or end points with the geometry',
      verb: 'touches only the edge of',
    },
    {
      words: 'Touching only the edge of',
      cut: false,
      test: 'touches only its edge',
      points: true,
      note: 'no inner point shared',
      turned: 's_touches',
    },
    { prepared: { first: 'Touches', second: 'Touches' }, holder: null, point: point('boundary') },
  ),
  byEngine(
    {
      name: 's_crosses',
      sample: 'LINESTRING(…)',
      meaning: 'runs through the geometry and out of it',
      verb: 'crosses',
    },
    {
      words: 'Crossing',
      cut: true,
      test: 'crosses it',
      points: false,
      note: 'in part inside, in part out',
      turned: 's_crosses',
    },
    { prepared: { first: 'Crosses', second: 'Crosses' }, holder: null, point: NOWHERE },
  ),
  byEngine(
    {
      name: 's_overlaps',
      sample: POLYGON,
      meaning: 'shares a part with the geometry, each having more beside it',
      verb: 'overlaps',
    },
    {
      words: 'Overlapping',
      cut: true,
      test: 'overlaps it',
      points: false,
      note: 'each has more beside the common part',
      turned: 's_overlaps',
    },
    { prepared: { first: 'Overlaps', second: 'Overlaps' }, holder: null, point: NOWHERE },
  ),
  byEngine(
    { name: 's_equals', sample: 'POINT(…)', meaning: 'covers just the same places', verb: 'covers just' },
    { words: 'Covering just', cut: false, test: 'covers just it', points: true, turned: 's_equals' },
    { prepared: null, holder: 'both', point: NOWHERE },
  ),
  relation({
    name: 's_disjoint',
    sample: POLYGON,
    meaning: 'shares no point with the geometry',
    verb: 'lies outside',
    relation: { kind: 'meeting', denied: true, area: null },
    round: true,
  }),
];
