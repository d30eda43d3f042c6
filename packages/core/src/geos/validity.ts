import type { Geometry, Position } from 'geojson';
import { CHUNK_ROWS } from '../features/column.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import type { Geos, Invalidity } from './geos.ts';

/** A row whose shape is not valid. */
export interface InvalidRow extends Invalidity {
  row: number;
}

/**
 * Rows whose geometry is not valid (OGC 06-103r4), with the reason and a place, in the source's own coordinates.
 * @param progress called now and then with the rows checked; may throw to stop
 */
export function* invalidRows(table: FeatureTable, geos: Geos, progress?: (row: number) => void): Generator<InvalidRow> {
  for (const [chunkNumber, chunk] of table.geometry.entries()) {
    for (let r = 0; r < chunk.rows; r++) {
      if ((r & 1023) === 0) progress?.(chunkNumber * CHUNK_ROWS + r);
      // Points are valid once they are finite, which reading saw to.
      if (chunk.types[r] === 0 || chunk.types[r] === 1 || chunk.types[r] === 4) continue;
      const invalidity = invalidityOf(chunk.geometryAt(r)!, geos);
      if (invalidity) yield { row: chunkNumber * CHUNK_ROWS + r, ...invalidity };
    }
  }
}

function invalidityOf(geometry: Geometry, geos: Geos): Invalidity | null {
  const short = tooShort(geometry);
  return short ? { reason: 'Too few positions', location: short } : isEmpty(geometry) ? null : geos.invalidity(geometry);
}

/** The first position of a line of fewer than two positions or a ring of fewer than four, which the engine cannot take. */
function tooShort(geometry: Geometry): Position | null {
  const ring = (positions: Position[]) => (positions.length < 4 ? (positions[0] ?? [NaN, NaN]) : null);
  const line = (positions: Position[]) => (positions.length === 1 ? positions[0] : null);
  const first = <T>(items: T[], find: (item: T) => Position | null) => items.map(find).find((found) => found !== null) ?? null;
  switch (geometry.type) {
    case 'LineString':
      return line(geometry.coordinates);
    case 'MultiLineString':
      return first(geometry.coordinates, line);
    case 'Polygon':
      return first(geometry.coordinates, ring);
    case 'MultiPolygon':
      return first(geometry.coordinates.flat(), ring);
    case 'GeometryCollection':
      return first(geometry.geometries, tooShort);
    default:
      return null;
  }
}

function isEmpty(geometry: Geometry): boolean {
  return geometry.type === 'GeometryCollection' ? geometry.geometries.length === 0 : geometry.coordinates.length === 0;
}

/**
 * The table's geometry with these rows repaired, the rest as it is. What has too few positions to be repaired becomes what it
 * is: its positions as points.
 */
export function repairedGeometry(table: FeatureTable, rows: ReadonlySet<number>, geos: Geos): GeometryChunk[] {
  return table.geometry.map((chunk, chunkNumber) => {
    const builder = new GeometryBuilder();
    for (let r = 0; r < chunk.rows; r++) {
      const geometry = chunk.geometryAt(r);
      const wanted = geometry && rows.has(chunkNumber * CHUNK_ROWS + r);
      builder.add(wanted ? (tooShort(geometry) ? positionsOf(geometry) : geos.madeValid(geometry)) : geometry);
    }
    return builder.finish();
  });
}

function positionsOf(geometry: Geometry): Geometry {
  const coordinates: Position[] = [];
  const collect = (value: unknown): void => {
    if (!Array.isArray(value)) return;
    if (typeof value[0] === 'number') coordinates.push(value as Position);
    else value.forEach(collect);
  };
  if (geometry.type === 'GeometryCollection')
    geometry.geometries.forEach((member) => collect((positionsOf(member) as { coordinates: unknown }).coordinates));
  else collect(geometry.coordinates);
  return { type: 'MultiPoint', coordinates };
}
