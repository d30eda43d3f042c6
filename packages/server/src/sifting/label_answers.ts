import {
  CHUNK_ROWS,
  has,
  lonLatChunks,
  selectedBy,
  valueAt,
  type Box,
  type Column,
  type Geos,
  type Selection,
  type Sifter,
} from '@clean-sieve/core';
import type { LabelsAnswer } from '../api/contract.ts';

/** More labels than these do not fit onto a map. */
const MOST = 400;

/**
 * Values of a column at places on the features of a selection that lie in a box; blanks are not written.
 * @param box beyond 180° the world goes on: east can be more than that
 */
export function labelsIn(sifter: Sifter, selection: Selection, box: Box, column: Column, geos: Geos): LabelsAnswer {
  const mask = selectedBy(sifter, selection);
  const chunks = lonLatChunks(sifter.table);
  const [west, south, east, north] = box;
  const boxes: Box[] =
    east > 180
      ? [
          [west, south, 180, north],
          [-180, south, east - 360, north],
        ]
      : [box];
  const rows = chunks.flatMap((chunk, number) =>
    [...new Set(boxes.flatMap((one) => chunk.rowsInBox(one)))]
      .sort((a, b) => a - b)
      .map((row) => number * CHUNK_ROWS + row)
      .filter((row) => has(mask, row) && valueAt(column, row) !== null && valueAt(column, row) !== ''),
  );
  const step = Math.max(1, Math.ceil(rows.length / MOST));
  const labels = rows.flatMap((row, i) => {
    const geometry = i % step === 0 ? chunks[Math.floor(row / CHUNK_ROWS)].geometryAt(row % CHUNK_ROWS) : null;
    if (!geometry) return [];
    const point = geometry.type === 'Point' ? geometry : geos.pointOnSurface(geometry);
    if (point.type !== 'Point' || point.coordinates.length < 2) return [];
    const [lon, lat] = point.coordinates;
    return { key: row, lon, lat, value: valueAt(column, row)! };
  });
  return { labels, total: rows.length };
}
