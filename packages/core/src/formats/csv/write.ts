import { isGeographic } from '../../crs/crs.ts';
import { geometryAt } from '../../features/table.ts';
import { freeName } from '../../features/table_builder.ts';
import { printGeometry } from '../../filters/printer.ts';
import { PIECE, typesIn, valuesOf, type WrittenLayer } from '../writing.ts';

/**
 * CSV (RFC 4180) with a header, in UTF-8. Points get two columns of coordinates unless the table has them already, any other
 * geometry one column of well-known text. Missing values are empty cells. Texts that a spreadsheet would take for a formula get
 * an apostrophe in front where the layer asks for that.
 */
export function* writeCsv(layer: WrittenLayer): Iterable<string> {
  const { table, rows, guarded } = layer;
  const types = layer.shapes ? typesIn(table, rows) : new Set<string>();
  types.delete('None');
  const asColumns = layer.coordinates === 'columns' || (layer.coordinates === null && [...types].every((type) => type === 'Point')); // prettier-ignore
  const taken = new Set(table.columns.map((column) => column.name));
  const hasBoth = table.columns.some((c) => c.role === 'lon') && table.columns.some((c) => c.role === 'lat');
  const pair = isGeographic(table.crs) ? ['longitude', 'latitude'] : ['x', 'y'];
  const extra = !layer.shapes ? [] : !asColumns ? ['wkt'] : hasBoth ? [] : pair;
  const header = [...table.columns.map((column) => column.name), ...extra.map((name) => freeName(name, taken))];
  yield `${header.map((name) => cell(name, guarded)).join(',')}\r\n`;
  const readers = table.columns.map((column) => ({
    read: valuesOf(column),
    guarded: guarded && column.type === 'text',
  }));
  let piece = '';
  for (const row of rows) {
    const cells = readers.map((column) => cell(column.read(row), column.guarded));
    if (extra.length > 0) {
      const geometry = geometryAt(table, row);
      if (!asColumns) cells.push(geometry ? cell(printGeometry(geometry), false) : '');
      else if (geometry?.type === 'Point' && geometry.coordinates.length > 0)
        cells.push(String(geometry.coordinates[0]), String(geometry.coordinates[1]));
      else cells.push('', '');
    }
    piece += `${cells.join(',')}\r\n`;
    if (piece.length < PIECE) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}

/** What a spreadsheet may take for a formula begins with one of these (OWASP, CSV injection). */
const FORMULA = /^[=+\-@\t\r]/;

export function looksLikeFormula(text: string): boolean {
  return FORMULA.test(text);
}

function cell(value: string | number | boolean | null, guarded: boolean): string {
  if (value === null) return '';
  const plain = String(value);
  const text = guarded && typeof value === 'string' && FORMULA.test(plain) ? `'${plain}` : plain;
  return /[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
