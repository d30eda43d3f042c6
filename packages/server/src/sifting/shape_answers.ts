import { FilterError, CHUNK_ROWS, lonLatChunks, oneShape, type Box, type FeatureTable, type Geos } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { ValidAnswer } from '../api/contract.ts';

/** A shape of more vertices is better used as the source or sieve that it comes from. */
const MOST_VERTICES = 200_000;

/** Features as one valid shape in longitude and latitude. */
export function shapeOf(table: FeatureTable, rows: number[], geos: Geos): ValidAnswer {
  const chunks = lonLatChunks(table);
  let vertices = 0;
  const shapes = rows.flatMap((row) => {
    const chunk = chunks[Math.floor(row / CHUNK_ROWS)];
    const [from, to] = chunk.vertexRange(row % CHUNK_ROWS);
    vertices += to - from;
    if (vertices > MOST_VERTICES)
      throw new FilterError(
        `These features have more than ${MOST_VERTICES.toLocaleString('en-GB')} corners`,
        null,
        'Use the source or the sieve itself as the place of a condition',
      );
    return chunk.geometryAt(row % CHUNK_ROWS) ?? [];
  });
  if (shapes.length === 0) throw new FilterError('There is no shape to make an area of', null);
  return oneShape(shapes, geos);
}

/** More features nearby are none worth snapping to. */
const MOST_NEARBY = 400;

/** Exact shapes of the features in a box, in longitude and latitude; none where there are too many to tell apart. */
export function nearbyShapes(table: FeatureTable, box: Box): Geometry[] {
  const found = lonLatChunks(table).flatMap((chunk) => chunk.rowsInBox(box).map((row) => ({ chunk, row })));
  return found.length > MOST_NEARBY ? [] : found.flatMap(({ chunk, row }) => chunk.geometryAt(row) ?? []);
}
