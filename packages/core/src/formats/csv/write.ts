import { isGeographic } from '../../crs/crs.ts';
import type { Value } from '../../features/column.ts';
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
  const { columns, read } = cellTable(layer);
  yield `${columns.map(cell).join(',')}\r\n`;
  let piece = '';
  for (const row of layer.rows) {
    piece += `${read(row).map(cell).join(',')}\r\n`;
    if (piece.length < PIECE) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}

/** A layer as a table of cells, shapes among them: the names of its columns, and the cells of a row. */
export function cellTable(layer: WrittenLayer): { columns: string[]; read: (row: number) => Value[] } {
  const { table, rows, guarded } = layer;
  const types = layer.shapes ? typesIn(table, rows) : new Set<string>();
  types.delete('None');
  const asColumns = layer.coordinates === 'columns' || (layer.coordinates === null && [...types].every((type) => type === 'Point')); // prettier-ignore
  const taken = new Set(table.columns.map((column) => column.name));
  const hasBoth = table.columns.some((c) => c.role === 'lon') && table.columns.some((c) => c.role === 'lat');
  const pair = isGeographic(table.crs) ? ['longitude', 'latitude'] : ['x', 'y'];
  const extra = !layer.shapes ? [] : !asColumns ? ['wkt'] : hasBoth ? [] : pair;
  const names = [...table.columns.map((column) => column.name), ...extra.map((name) => freeName(name, taken))];
  const readers = table.columns.map((column) => {
    const read = valuesOf(column);
    return guarded && column.type === 'text' ? (row: number) => kept(read(row)) : read;
  });
  return {
    columns: guarded ? names.map((name) => String(kept(name))) : names,
    read(row) {
      const cells = readers.map((read) => read(row));
      if (extra.length === 0) return cells;
      const geometry = geometryAt(table, row);
      if (!asColumns) cells.push(geometry && printGeometry(geometry));
      else if (geometry?.type === 'Point' && geometry.coordinates.length > 0) cells.push(geometry.coordinates[0], geometry.coordinates[1]);
      else cells.push(null, null);
      return cells;
    },
  }; // prettier-ignore
}

/** What a spreadsheet may take for a formula begins with one of these (OWASP, CSV injection). */
const FORMULA = /^[=+\-@\t\r]/;

export function looksLikeFormula(text: string): boolean {
  return FORMULA.test(text);
}

/** A text with an apostrophe in front where it would be taken for a formula. */
function kept(value: Value): Value {
  return typeof value === 'string' && FORMULA.test(value) ? `'${value}` : value;
}

function cell(value: Value): string {
  if (value === null) return '';
  const text = String(value);
  return /[",\r\n]|^\s|\s$/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
