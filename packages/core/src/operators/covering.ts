import type { Operator } from './operator.ts';
import { byEngine } from './relations.ts';

/**
 * Beside the standard, which has only relations by which what lies on nothing but the edge lies not within: no point of the
 * one lies outside the other (common practice, as covers and covered by).
 */
export const COVERING: readonly Operator[] = [
  byEngine(
    {
      name: 'S_COVEREDBY',
      sample: 'POLYGON((…))',
      meaning: 'lies in the geometry or on its edge, with no part outside',
      verb: 'lies in or on the edge of',
      standard: false,
    },
    {
      words: 'Lying in or on the edge of',
      test: 'lies in it or on its edge',
      points: true,
      cut: true,
      note: 'no part outside',
      turned: 'S_COVERS',
    },
    {
      prepared: { first: 'CoveredBy', second: 'Covers' },
      holder: 'second',
      point: { first: 'either', second: 'nowhere' },
    },
  ),
  byEngine(
    {
      name: 'S_COVERS',
      sample: 'POINT(…)',
      meaning: 'holds the geometry in it or on its edge',
      verb: 'covers',
      standard: false,
    },
    {
      words: 'Covering',
      test: 'covers it, its own edge included',
      points: false,
      cut: false,
      note: 'no part of it outside',
      turned: 'S_COVEREDBY',
    },
    {
      prepared: { first: 'Covers', second: 'CoveredBy' },
      holder: 'first',
      point: { first: 'nowhere', second: 'either' },
    },
  ),
];
