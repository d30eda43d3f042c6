import { valueAt } from '../../features/column.ts';
import { lonLatGeometryAt } from '../../crs/lon_lat_view.ts';
import type { FeatureTable } from '../../features/table.ts';
import { PIECE, type WrittenLayer } from '../writing.ts';

/** A feature as one line of GeoJSON. Dates and date-times become ISO 8601 texts, missing values null. */
export function featureText(table: FeatureTable, row: number, shapes = true): string {
  let id = '';
  const properties: string[] = [];
  for (const column of table.columns) {
    const value = valueAt(column, row);
    if (column.role === 'id') {
      if (value !== null) id = `"id":${JSON.stringify(value)},`;
    } else properties.push(`${JSON.stringify(column.name)}:${JSON.stringify(value)}`);
  }
  const geometry = shapes ? JSON.stringify(lonLatGeometryAt(table, row)) : 'null';
  return `{"type":"Feature",${id}"geometry":${geometry},"properties":{${properties.join(',')}}}`;
}

/** A FeatureCollection (RFC 7946), one feature a line. */
export function* writeGeoJson(layer: WrittenLayer): Iterable<string> {
  yield '{"type":"FeatureCollection","features":[\n';
  yield* lines(layer, ',\n');
  yield '\n]}\n';
}

/** Newline-delimited GeoJSON. */
export function* writeGeoJsonLines(layer: WrittenLayer): Iterable<string> {
  yield* lines(layer, '\n');
  if (layer.rows.length > 0) yield '\n';
}

function* lines({ table, rows, shapes }: WrittenLayer, separator: string): Iterable<string> {
  let piece = '';
  for (let i = 0; i < rows.length; i++) {
    piece += (i > 0 ? separator : '') + featureText(table, rows[i], shapes);
    if (piece.length < PIECE) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}
