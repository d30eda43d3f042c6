import { isGeographic } from '../../crs/crs.ts';
import type { Value } from '../../features/column.ts';
import { geometryAt } from '../../features/table.ts';
import { freeName } from '../../features/table_builder.ts';
import { printGeometry } from '../../filters/print_literal.ts';
import { changed, counted, emptyTextLosses, heightLossesOfText, lost, textsThat, type Loss } from '../losses.ts';
import { hasHeights, PIECE, typesIn, valuesOf, type WrittenLayer } from '../writing.ts';

/**
 * CSV (RFC 4180) with a header, in UTF-8. Points get columns of coordinates unless the table has them already, of heights where
 * there are any; any other geometry gets one column of well-known text. Missing values are empty cells. Texts that a spreadsheet would take for a formula get
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

/** How the shapes of a layer stand in a table of cells: names of columns of their own, and their cells of a row. */
export function shapeCells(layer: WrittenLayer): { columns: string[]; text: boolean; read: (row: number) => Value[] } {
  const { table, rows } = layer;
  if (!layer.shapes) return { columns: [], text: false, read: () => [] };
  const taken = new Set(table.columns.map(({ name }) => name));
  const named = (names: string[]) => names.map((name) => freeName(name, taken));
  const types = typesIn(table, rows);
  types.delete('None');
  if (layer.coordinates === 'wkt' || (layer.coordinates === null && [...types].some((type) => type !== 'Point'))) {
    const read = (row: number): Value[] => {
      const geometry = geometryAt(table, row);
      return [geometry && printGeometry(geometry)];
    };
    return { columns: named(['wkt']), text: true, read };
  }
  const hasBoth = table.columns.some(({ role }) => role === 'lon') && table.columns.some(({ role }) => role === 'lat');
  const geographic = isGeographic(table.crs);
  const pair = hasBoth ? [] : geographic ? ['longitude', 'latitude'] : ['x', 'y'];
  const columns = [...pair, ...(hasHeights(table, rows) ? [geographic ? 'height' : 'z'] : [])];
  const read = (row: number): Value[] => {
    const geometry = geometryAt(table, row);
    const position = geometry?.type === 'Point' ? geometry.coordinates : [];
    return columns.map((_, i) => position[pair.length === 0 ? 2 : i] ?? null);
  };
  return { columns: named(columns), text: false, read };
}

/** What a table of cells does not hold of a layer. */
export function lossesOfCells(layer: WrittenLayer): Loss[] {
  const { table, rows, shapes, coordinates } = layer;
  const types = shapes ? typesIn(table, rows) : new Set<string>();
  types.delete('None');
  const { text } = shapeCells(layer);
  const others = [...types].some((type) => type !== 'Point');
  return [
    ...(text ? heightLossesOfText(layer) : []),
    ...(coordinates === 'columns' && others ? [lost('Shapes that are no points have no coordinates in columns and are left out')] : []),
    ...emptyTextLosses(layer),
  ];
}

/** What CSV does not hold of a layer. */
export function lossesOfCsv(layer: WrittenLayer): Loss[] {
  const { table, rows, guarded } = layer;
  const formulas = table.columns.reduce((sum, column) => sum + textsThat(column, rows, looksLikeFormula), 0);
  return [
    ...lossesOfCells(layer),
    ...(guarded && formulas > 0
      ? [
          changed(
            `${counted(formulas, 'text that a spreadsheet would take for a formula has', 'texts that a spreadsheet would take for formulas have')} an apostrophe in front`,
          ),
        ]
      : []),
  ];
}

/** A layer as a table of cells, shapes among them: the names of its columns, and the cells of a row. */
export function cellTable(layer: WrittenLayer): { columns: string[]; read: (row: number) => Value[] } {
  const { table, guarded } = layer;
  const shapes = shapeCells(layer);
  const names = [...table.columns.map((column) => column.name), ...shapes.columns];
  const readers = table.columns.map((column) => {
    const read = valuesOf(column);
    return guarded && column.type === 'text' ? (row: number) => kept(read(row)) : read;
  });
  return {
    columns: guarded ? names.map((name) => String(kept(name))) : names,
    read: (row) => [...readers.map((read) => read(row)), ...shapes.read(row)],
  };
}

/** What a spreadsheet may take for a formula begins with one of these (OWASP, CSV injection). */
const FORMULA = /^[=+\-@\t\r]/;

function looksLikeFormula(text: string): boolean {
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
