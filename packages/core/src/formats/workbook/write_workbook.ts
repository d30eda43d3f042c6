import writeXlsxFile, { type Cell, type SheetData } from 'write-excel-file/universal';
import { ReadError } from '../read_error.ts';
import { shapeCells } from '../csv/write_csv.ts';
import { fileTypeOf, valuesOf, type WrittenLayer } from '../writing.ts';

/** Rows of a sheet, and characters of a cell, that the format has room for (ISO/IEC 29500, as programs limit it: common practice). */
const MOST_ROWS = 1_048_576;
const MOST_CHARACTERS = 32_767;
/** Days of the format before this one are counted in two ways. */
const FIRST_DAY = '1900-03-01';

/**
 * One sheet with a bold header that stays in sight; numbers, yes/no and dates as cells of those types, all else as text, so that
 * no cell is taken for a formula. Shapes stand as in CSV.
 */
export async function* writeWorkbook(layer: WrittenLayer): AsyncGenerator<Uint8Array> {
  const { table, rows } = layer;
  if (rows.length >= MOST_ROWS)
    throw new ReadError(
      `A sheet has room for ${(MOST_ROWS - 1).toLocaleString('en-GB')} rows, and these are ${rows.length.toLocaleString('en-GB')}`,
      'Write CSV or GeoPackage instead',
    );
  const fields = table.columns.map((column) => ({ name: column.name, type: fileTypeOf(column, rows), read: valuesOf(column) }));
  const shapes = shapeCells(layer);
  const header: Cell[] = [...fields.map(({ name }) => name), ...shapes.columns].map((value) => ({ value, fontWeight: 'bold' as const }));
  const data: SheetData = [header];
  for (const row of rows) {
    const cells: Cell[] = fields.map(({ name, type, read }): Cell => {
      const value = read(row);
      if (value === null) return null;
      if (typeof value === 'number') return { type: Number, value };
      if (typeof value === 'boolean') return { type: Boolean, value };
      if (type === 'date' && value >= FIRST_DAY) return { type: Date, value: new Date(`${value}T00:00:00Z`), format: 'yyyy-mm-dd' };
      return textCell(value, name);
    });
    const ofShape = shapes
      .read(row)
      .map((value): Cell =>
        typeof value === 'number' ? { type: Number, value } : typeof value === 'string' ? textCell(value, 'wkt') : null,
      );
    data.push([...cells, ...ofShape]);
  }
  const blob = await writeXlsxFile(data, { sheet: sheetName(layer.name), stickyRowsCount: 1 }).toBlob();
  yield new Uint8Array(await blob.arrayBuffer());
}

function textCell(value: string, column: string): Cell {
  if (value.length > MOST_CHARACTERS)
    throw new ReadError(
      `A cell has room for ${MOST_CHARACTERS.toLocaleString('en-GB')} characters, and a value of ${column} has ${value.length.toLocaleString('en-GB')}`,
      column === 'wkt' ? 'Leave the geometry out, or write the centroids' : 'Leave the column out, or write CSV',
    );
  return { type: String, value };
}

/** At most 31 characters, without those that the format keeps for itself. */
function sheetName(name: string): string {
  const plain = name
    .replaceAll(/[\\/?*[\]:]/g, ' ')
    .replaceAll(/^'+|'+$/g, '')
    .trim();
  return [...plain].slice(0, 31).join('') || 'features';
}
