import { valueAt } from '../../features/column.ts';
import { lonLatGeometryAt } from '../../crs/lon_lat_view.ts';
import type { FeatureTable } from '../../features/table.ts';
import { freeName } from '../../features/table_builder.ts';
import { printGeometry } from '../../filters/printer.ts';

/**
 * CSV (RFC 4180) with a header, in UTF-8. Points get longitude and latitude columns unless the table has them already;
 * a table with any other geometry gets one column of well-known text. Missing values are empty cells.
 */
export function* writeCsv(table: FeatureTable, rows: Uint32Array): Iterable<string> {
  const onlyPoints = table.geometry.every((chunk) => chunk.types.every((type) => type <= 1));
  const taken = new Set(table.columns.map((column) => column.name));
  const hasLonLat = table.columns.some((c) => c.role === 'lon') && table.columns.some((c) => c.role === 'lat');
  const extra = !onlyPoints ? ['wkt'] : hasLonLat ? [] : ['longitude', 'latitude'];
  const header = [...table.columns.map((column) => column.name), ...extra.map((name) => freeName(name, taken))];
  yield `${header.map(cell).join(',')}\r\n`;
  let piece = '';
  for (const row of rows) {
    const cells = table.columns.map((column) => cell(valueAt(column, row)));
    if (extra.length > 0) {
      const geometry = lonLatGeometryAt(table, row);
      if (!onlyPoints) cells.push(geometry ? cell(printGeometry(geometry)) : '');
      else if (geometry?.type === 'Point' && geometry.coordinates.length > 0)
        cells.push(String(geometry.coordinates[0]), String(geometry.coordinates[1]));
      else cells.push('', '');
    }
    piece += `${cells.join(',')}\r\n`;
    if (piece.length < 65_536) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}

function cell(value: string | number | boolean | null): string {
  if (value === null) return '';
  const text = String(value);
  return /[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
