import Papa from 'papaparse';
import type { Geometry } from 'geojson';
import type { ColumnBuilder } from '../../features/column_builder.ts';
import { freeName } from '../../features/table_builder.ts';
import type { CrsClue } from '../../crs/crs.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { EwktShapes } from '../geometry/ewkt.ts';
import { refuseEndlessRecord, refuseTooManyColumns } from '../limits.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';
import { coordinateColumns, type CoordinateColumns } from './columns.ts';
import { delimiterOf, encodingOf, usesDecimalComma } from './decoding.ts';

const NUMBER = /^\s*[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?\s*$/;

/**
 * Reads a table (RFC 4180 and its relatives) with a header row: points in two columns, or any geometry as well-known text
 * in one. Delimiter, encoding and decimal comma are found from the file.
 * Throws a ReadError with the row, counted with the header as row 1.
 */
export async function readCsv(input: Input, options: ReadOptions): Promise<ReadResult> {
  const encoding = await encodingOf(input);
  const records = new RecordReader(options);
  const decoder = new TextDecoder(encoding);
  let size = 0;
  for await (const chunk of input.stream()) {
    records.push(decoder.decode(chunk, { stream: true }));
    size += chunk.length;
    options.progress?.(records.taking.builder.rows, size);
    if (records.taking.full) break;
  }
  if (!records.taking.full) records.push(decoder.decode());
  if (encoding === 'windows-1252') records.taking.notes.push('The text is not UTF-8; it was read as windows-1252 (Western European).');
  return records.finish(encoding);
}

/** Characters that are parsed together. */
const PIECE = 262_144;

class RecordReader {
  readonly taking: Taking;
  readonly #ewkt: EwktShapes;
  #options: ReadOptions;
  #rest = '';
  #parser: Papa.Parser | null = null;
  #columns: ColumnBuilder[] = [];
  #names: string[] | null = null;
  #coordinates: CoordinateColumns = { x: -1, y: -1, wkt: -1, geographic: false };
  #decimalComma = false;
  #row = 0;
  /** Characters that are worth parsing. */
  #enough = PIECE;

  constructor(options: ReadOptions) {
    this.#options = options;
    this.taking = new Taking(options);
    this.#ewkt = new EwktShapes(this.taking);
  }

  push(text: string): void {
    this.#rest += text;
    // A quoted cell can hold line breaks, so pieces are cut by the parser itself; the delimiter needs some lines to show.
    if (this.#rest.length <= this.#enough) return;
    this.#parse(false);
    refuseEndlessRecord(this.#rest.length, this.#row + 1);
    // What is left of a long record is looked at again only when there is as much again.
    this.#enough = Math.max(PIECE, 2 * this.#rest.length);
  }

  finish(encoding: string): ReadResult {
    this.#parse(!this.taking.full);
    if (!this.#names) throw new ReadError('The file is empty', 'A table begins with a row of column names');
    const { x, y, geographic } = this.#coordinates;
    const crs: CrsClue =
      geographic || this.#options.bare || this.#ewkt.system === 4326
        ? { kind: 'crs84' }
        : this.#ewkt.system !== null
          ? { kind: 'epsg', code: this.#ewkt.system }
          : { kind: 'unknown' };
    const result = this.taking.result(crs, encoding);
    const columns = result.table.columns.map((column) =>
      column.name === this.#names![x]
        ? { ...column, role: 'lon' as const }
        : column.name === this.#names![y]
          ? { ...column, role: 'lat' as const }
          : column,
    );
    return { ...result, table: { ...result.table, columns } };
  }

  #parse(last: boolean): void {
    this.#parser ??= this.#makeParser();
    const { data, errors, meta } = this.#parser.parse(this.#rest, 0, !last) as Papa.ParseResult<string[]>;
    const error = errors.find((candidate) => candidate.type === 'Quotes');
    // An open quote at the end of a piece may be closed in the next one.
    if (error && last) {
      throw new ReadError(
        `Row ${this.#row + (error.row ?? 0) + 1}: a quoted cell is not closed properly`,
        'A quote inside a quoted cell is written twice',
      );
    }
    for (const record of data) {
      if (this.taking.full) break;
      this.#take(record);
    }
    this.#rest = this.#rest.slice(meta.cursor);
  }

  #makeParser(): Papa.Parser {
    const head = this.#rest.charCodeAt(0) === 0xfeff ? this.#rest.slice(1) : this.#rest;
    this.#rest = head;
    const guess = Papa.parse<string[]>(head, { preview: 200, delimiter: delimiterOf(head) });
    this.#decimalComma = usesDecimalComma(guess.data, guess.meta.delimiter);
    if (this.#decimalComma) this.taking.notes.push('Numbers are written with a decimal comma.');
    return new Papa.Parser({ delimiter: guess.meta.delimiter, newline: guess.meta.linebreak as '\n' });
  }

  #take(record: string[]): void {
    this.#row++;
    if (record.length === 1 && record[0].trim() === '') return;
    if (!this.#names) return this.#takeHeader(record);
    if (record.length !== this.#names.length) {
      throw new ReadError(
        `Row ${this.#row} has ${record.length} cells, but the header has ${this.#names.length}`,
        'Look for a delimiter or a quote inside a cell that is not quoted',
      );
    }
    const plain = this.#decimalComma ? record.map(withPoint) : record;
    const where = `Row ${this.#row}`;
    const geometry = this.#options.bare ? null : this.#shapeOf(record, plain, where);
    this.taking.builder.addRecord(this.taking.checked(geometry, where), this.#columns, record, plain);
  }

  #takeHeader(record: string[]): void {
    refuseTooManyColumns(record.length - 1);
    const names: string[] = [];
    for (const [i, cell] of record.entries()) {
      const wanted = cell.trim() === '' ? `column_${i + 1}` : cell.trim();
      const name = freeName(wanted, new Set(names));
      if (name !== wanted)
        this.taking.notes.push(`The column name ${wanted} stands there more than once; the later one is called ${name} here.`);
      names.push(name);
    }
    this.#names = names;
    this.#coordinates = coordinateColumns(names, this.#options);
    const { x, y, wkt } = this.#coordinates;
    if (!this.#options.bare && wkt < 0 && (x < 0 || y < 0)) {
      const missing = x < 0 && y < 0 ? 'longitude and latitude columns' : x < 0 ? 'longitude column' : 'latitude column';
      const shown = names.slice(0, 12).join(', ') + (names.length > 12 ? ' …' : '');
      throw new ReadError(
        `The table has no ${missing} that can be told by name; its columns are ${shown}`,
        'Name them longitude and latitude, say which ones they are, or take the table without geometry',
      );
    }
    this.#columns = names.map((name, i) => (i === wkt ? null : this.taking.builder.column(name))) as ColumnBuilder[];
  }

  #shapeOf(record: string[], plain: string[], where: string): Geometry | null {
    const { wkt } = this.#coordinates;
    return wkt >= 0 ? this.#ewkt.shapeOf(record[wkt], where) : this.#pointOf(plain, where);
  }

  #pointOf(record: string[], where: string): Geometry | null {
    const [x, y] = [record[this.#coordinates.x].trim(), record[this.#coordinates.y].trim()];
    if (x === '' || y === '') {
      this.taking.remark('refused', where, 'the row has no coordinates; taken without geometry');
      return null;
    }
    if (!NUMBER.test(x) || !NUMBER.test(y)) {
      this.taking.remark('refused', where, `“${x}”, “${y}” are not coordinates; taken without geometry`);
      return null;
    }
    return { type: 'Point', coordinates: [Number(x), Number(y)] };
  }
}

function withPoint(cell: string): string {
  return /^\s*[+-]?\d*,\d+(?:[eE][+-]?\d+)?\s*$/.test(cell) ? cell.replace(',', '.') : cell;
}
