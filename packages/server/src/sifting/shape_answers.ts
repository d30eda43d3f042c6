import {
  featuresAt,
  FilterError,
  GROUP_ROWS,
  has,
  lonLatBoxOf,
  lonLatChunks,
  oneShape,
  type Box,
  type FeatureTable,
  type Geos,
  type Sifter,
} from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { Question, ThereAnswer, ValidAnswer } from '../api/contract.ts';
import { selected } from './selected.ts';

/** A shape of more vertices is better used as the source or sieve that it comes from. */
const MOST_VERTICES = 200_000;

/** Features as one valid shape in longitude and latitude. */
export function shapeOf(table: FeatureTable, rows: number[], geos: Geos): ValidAnswer {
  const chunks = lonLatChunks(table);
  let vertices = 0;
  const shapes = rows.flatMap((row) => {
    const chunk = chunks[Math.floor(row / GROUP_ROWS)];
    const [from, to] = chunk.vertexRange(row % GROUP_ROWS);
    vertices += to - from;
    if (vertices > MOST_VERTICES)
      throw new FilterError(
        `These features have more than ${MOST_VERTICES.toLocaleString('en-GB')} corners`,
        null,
        'Use the source or the sieve itself as the place of a condition',
      );
    return chunk.geometryAt(row % GROUP_ROWS) ?? [];
  });
  if (shapes.length === 0) throw new FilterError('There is no shape to make an area of', null);
  return oneShape(shapes, geos);
}

/** More features at one place are not told one by one. */
const MOST_THERE = 200;

/** What is drawn on top comes first: what is kept, and of that the nearest. */
export function featuresThere(sifter: Sifter, { x, y, reach, ...selection }: Question<'there'>): ThereAnswer {
  const shown = selected(sifter, selection);
  const found = featuresAt(sifter.table, x, y, reach, null).map(({ row }) => ({ row, kept: has(shown, row) }));
  const sorted = [...found.filter(({ kept }) => kept), ...found.filter(({ kept }) => !kept)];
  return { total: sorted.length, features: sorted.slice(0, MOST_THERE) };
}

/** West, south, east, north of a feature in degrees; null without a place on the map. */
export function boxOf(table: FeatureTable, row: number): Box | null {
  if (row >= table.rows) throw new FilterError(`There is no feature ${row}`, null);
  const box = lonLatBoxOf(table, row);
  return box[0] <= box[2] ? box : null;
}

/** More features nearby are none worth snapping to. */
const MOST_NEARBY = 400;

/** Exact shapes of the features in a box, in longitude and latitude; none where there are too many to tell apart. */
export function nearbyShapes(table: FeatureTable, box: Box): Geometry[] {
  const found = lonLatChunks(table).flatMap((chunk) => chunk.rowsInBox(box).map((row) => ({ chunk, row })));
  return found.length > MOST_NEARBY ? [] : found.flatMap(({ chunk, row }) => chunk.geometryAt(row) ?? []);
}
