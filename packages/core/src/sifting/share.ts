import type { Geometry } from 'geojson';
import { convertGeometry } from '../crs/convert.ts';
import { isGeographic, toLonLat } from '../crs/crs.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { LINE, POLYGON, type GeometryChunk } from '../features/geometry.ts';
import { emptyMask, has, put, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import type { Geos } from '../geos/geos.ts';
import { planeMeasure } from '../space/plane.ts';
import { straightMeasure } from '../space/straight_measure.ts';
import type { Side } from './pairs.ts';
import { commonWith, coveredBy, dimensionOf, type OverlaySide } from './overlay.ts';

/** A cut measures a hair less than the whole where nothing is cut off; this much of the whole is forgiven. */
const ROUNDING = 1e-9;

/**
 * Rows that have at least so many percent in what theirs cover together: of their area (polygons), else of their length
 * (lines), else of their points. Areas and lengths are those of the plane in a projected system; in a
 * geographic one on the ellipsoid, with edges straight in longitude and latitude, so that what is covered piece by piece adds up.
 */
export function shareMask(mine: Side, theirs: OverlaySide, table: FeatureTable, geos: Geos, percent: number): Mask {
  const yes = emptyMask(table.rows);
  const wanted = percent / 100 - ROUNDING;
  mine.chunks.forEach((chunk, chunkNumber) => {
    const near = [theirs, ...theirs.beside].flatMap((side) => [...rowsNear(chunk, side)]);
    for (const row of new Set(near)) {
      const share = shareOf(chunk, chunkNumber * CHUNK_ROWS + row, theirs, table, geos);
      if (share >= wanted) put(yes, chunkNumber * CHUNK_ROWS + row);
    }
  });
  return yes;
}

/** Rows whose box meets that of something of theirs. */
function rowsNear(chunk: GeometryChunk, theirs: Side): Set<number> {
  const rows = new Set<number>();
  theirs.chunks.forEach((other, chunkNumber) => {
    for (let row = 0; row < other.rows; row++) {
      if (other.isMissing(row) || (theirs.rows && !has(theirs.rows, chunkNumber * CHUNK_ROWS + row))) continue;
      for (const candidate of chunk.rowsInBox(other.boxOf(row))) rows.add(candidate);
    }
  });
  return rows;
}

/** Which part of a row, 0 to 1, lies in what theirs cover together. */
export function shareOf(chunk: GeometryChunk, at: number, theirs: OverlaySide, table: FeatureTable, geos: Geos): number {
  const common = commonWith(chunk, at, theirs, geos);
  if (common === null || common === 'whole') return common === null ? 0 : 1;
  const row = at % CHUNK_ROWS;
  const size = (geometry: Geometry) => sizeOf(geometry, dimensionOf(chunk, row), table);
  const whole = size(coveredBy(chunk, row, geos)!);
  return whole > 0 ? size(common) / whole : 0;
}

function sizeOf(geometry: Geometry, kind: number, { crs }: FeatureTable): number {
  if (kind < LINE) return pointsIn(geometry);
  const { area, length } = isGeographic(crs)
    ? straightMeasure(crs.definition === null ? geometry : convertGeometry(geometry, toLonLat(crs), 1e-8))
    : planeMeasure(geometry);
  return kind === POLYGON ? area : length;
}

function pointsIn(geometry: Geometry): number {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.reduce((sum, one) => sum + pointsIn(one), 0);
  return geometry.type === 'Point' ? 1 : geometry.type === 'MultiPoint' ? new Set(geometry.coordinates.map(String)).size : 0;
}
