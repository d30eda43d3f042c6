import type { Geometry } from 'geojson';
import library from 'geographiclib-geodesic';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { LINE, POLYGON } from '../features/geometry.ts';
import { TableBuilder } from '../features/table_builder.ts';
import type { FeatureTable } from '../features/table.ts';

/** Length of all lines in metres and area of all polygons in square metres, on the WGS 84 ellipsoid. */
export interface Measure {
  length: number;
  area: number;
}

/**
 * Measures every feature as it is: edges are geodesics, holes are taken off, overlaps count each time. Source of the areas:
 * C. F. F. Karney, Algorithms for geodesics, J. Geodesy 87 (2013), section 6.
 * @param progress called now and then with the rows measured; may throw to stop
 */
export function measureOf(table: FeatureTable, progress?: (row: number) => void): Measure {
  let [length, area, done] = [0, 0, 0];
  for (const { rows, rowParts, partKinds, partRings, ringVertices, xy } of lonLatChunks(table)) {
    const ring = (g: number, line: boolean) => {
      const path = library.Geodesic.WGS84.Polygon(line);
      const last = line ? ringVertices[g + 1] : ringVertices[g + 1] - 1;
      for (let v = ringVertices[g]; v < last; v++) path.AddPoint(xy[2 * v + 1], xy[2 * v]);
      return path.Compute(false, true);
    };
    for (let row = 0; row < rows; row++) {
      if (((done + row) & 1023) === 0) progress?.(done + row);
      for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
        if (partKinds[p] === LINE) length += ring(partRings[p], true).perimeter;
        if (partKinds[p] !== POLYGON) continue;
        for (let g = partRings[p]; g < partRings[p + 1]; g++)
          area += Math.abs(ring(g, false).area) * (g === partRings[p] ? 1 : -1);
      }
    }
    done += rows;
  }
  return { length, area };
}

/** The same of one geometry in longitude and latitude. */
export function measureOfGeometry(geometry: Geometry): Measure {
  const builder = new TableBuilder();
  builder.addFeature(geometry, null);
  return measureOf(builder.finish());
}
