import type { Position } from 'geojson';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { LINE, POLYGON } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import { geodesicArea, geodesicLength, type Measure } from './measure_geometry.ts';

/**
 * Measures every feature as it is: edges are geodesics, holes are taken off, overlaps count each time.
 * @param progress called now and then with the rows measured; may throw to stop
 */
export function measureOf(table: FeatureTable, progress?: (row: number) => void): Measure {
  let [length, area, done] = [0, 0, 0];
  for (const { rows, rowParts, partKinds, partRings, ringVertices, xy } of lonLatChunks(table)) {
    function* positions(from: number, to: number): Generator<Position> {
      for (let v = from; v < to; v++) yield [xy[2 * v], xy[2 * v + 1]];
    }
    for (let row = 0; row < rows; row++) {
      if (((done + row) & 1023) === 0) progress?.(done + row);
      for (let p = rowParts[row]; p < rowParts[row + 1]; p++)
        for (let g = partRings[p]; g < partRings[p + 1]; g++) {
          const [from, to] = [ringVertices[g], ringVertices[g + 1]];
          if (partKinds[p] === LINE) length += geodesicLength(positions(from, to));
          if (partKinds[p] === POLYGON) area += geodesicArea(positions(from, to - 1)) * (g === partRings[p] ? 1 : -1);
        }
    }
    done += rows;
  }
  return { length, area };
}
