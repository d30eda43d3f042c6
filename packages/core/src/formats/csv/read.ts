import Papa from 'papaparse';
import type { ColumnBuilder } from '../../features/column_builder.ts';
import { freeName, TableBuilder } from '../../features/table_builder.ts';
import { CRS84, type Bytes, type ReadOptions, type ReadResult } from '../format.ts';
import { checkLonLat } from '../geojson/geometry.ts';
import { ReadError } from '../read_error.ts';

/** Column names that are taken for longitude and latitude, most telling first; case and separators are free. */
const LONGITUDE = ['longitude', 'lon', 'lng', 'long', 'xlongitude', 'lonwgs84', 'londd', 'x'];
const LATITUDE = ['latitude', 'lat', 'ylatitude', 'latwgs84', 'latdd', 'y'];
const NUMBER = /^\s*[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?\s*$/;

/**
 * Reads CSV (RFC 4180) with a header row and one point a row in longitude and latitude columns. The delimiter is found
 * from the first lines. Throws a ReadError with the row, counted with the header as row 1.
 */
export async function readCsv(bytes: Bytes, options: ReadOptions): Promise<ReadResult> {
  const records = new RecordReader(options);
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let size = 0;
  const decode = (chunk?: Uint8Array) => {
    try {
      return chunk ? decoder.decode(chunk, { stream: true }) : decoder.decode();
    } catch {
      throw new ReadError(`The text near byte ${size} is not UTF-8`, 'Save the table as UTF-8 and try again');
    }
  };
  for await (const chunk of bytes) {
    records.push(decode(chunk));
    size += chunk.length;
    options.progress?.(records.builder.rows, size);
  }
  records.push(decode());
  return records.finish();
}

class RecordReader {
  readonly builder = new TableBuilder();
  #options: ReadOptions;
  #rest = '';
  #parser: Papa.Parser | null = null;
  #columns: ColumnBuilder[] = [];
  #names: string[] | null = null;
  #lon = -1;
  #lat = -1;
  #row = 0;
  #notes: string[] = [];
  #blank = 0;
  #unreadable: { count: number; first: string } = { count: 0, first: '' };

  constructor(options: ReadOptions) {
    this.#options = options;
  }

  push(text: string): void {
    this.#rest += text;
    // A quoted cell can hold line breaks, so pieces are cut by the parser itself; the delimiter needs some lines to show.
    if (this.#rest.length > 262_144) this.#parse(false);
  }

  finish(): ReadResult {
    this.#parse(true);
    if (!this.#names) throw new ReadError('The file is empty', 'A table begins with a row of column names');
    if (this.#blank > 0)
      this.#notes.push(`${this.#blank} rows have no coordinates; they were taken without a geometry.`);
    if (this.#unreadable.count > 0) {
      this.#notes.push(
        `${this.#unreadable.count} rows have coordinates that are not numbers, the first in ${this.#unreadable.first}; they were taken without a geometry.`,
      );
    }
    const table = this.builder.finish();
    const columns = table.columns.map((column, i) =>
      i === this.#lon
        ? { ...column, role: 'lon' as const }
        : i === this.#lat
          ? { ...column, role: 'lat' as const }
          : column,
    );
    return { table: { ...table, columns }, crs: CRS84, notes: this.#notes };
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
    for (const record of data) this.#take(record);
    this.#rest = this.#rest.slice(meta.cursor);
  }

  #makeParser(): Papa.Parser {
    const head = this.#rest.charCodeAt(0) === 0xfeff ? this.#rest.slice(1) : this.#rest;
    this.#rest = head;
    const guess = Papa.parse<string[]>(head, { preview: 20, delimitersToGuess: [',', ';', '\t', '|'] });
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
    this.builder.addRecord(this.#pointOf(record), this.#columns, record);
  }

  #takeHeader(record: string[]): void {
    const names: string[] = [];
    for (const [i, cell] of record.entries()) {
      const wanted = cell.trim() === '' ? `column_${i + 1}` : cell.trim();
      const name = freeName(wanted, new Set(names));
      if (name !== wanted)
        this.#notes.push(
          `The column name ${wanted} stands there more than once; the later one is called ${name} here.`,
        );
      names.push(name);
    }
    this.#names = names;
    this.#lon = findColumn(names, this.#options.longitude, LONGITUDE);
    this.#lat = findColumn(names, this.#options.latitude, LATITUDE);
    if (this.#lon < 0 || this.#lat < 0) {
      const missing =
        this.#lon < 0 && this.#lat < 0
          ? 'longitude and latitude columns'
          : this.#lon < 0
            ? 'a longitude column'
            : 'a latitude column';
      const shown = names.slice(0, 12).join(', ') + (names.length > 12 ? ' …' : '');
      throw new ReadError(
        `The table has no ${missing.replace(/^a /, '')} that can be told by name; its columns are ${shown}`,
        'Name them longitude and latitude, or say which ones they are',
      );
    }
    this.#columns = names.map((name) => this.builder.column(name));
  }

  #pointOf(record: string[]): [number, number] | null {
    const [x, y] = [record[this.#lon].trim(), record[this.#lat].trim()];
    if (x === '' || y === '') {
      this.#blank++;
      return null;
    }
    if (!NUMBER.test(x) || !NUMBER.test(y)) {
      if (this.#unreadable.count++ === 0) this.#unreadable.first = `row ${this.#row} (“${x}”, “${y}”)`;
      return null;
    }
    const [lon, lat] = [Number(x), Number(y)];
    checkLonLat(lon, lat, `Row ${this.#row}`);
    return [lon, lat];
  }
}

function findColumn(names: string[], wanted: string | undefined, known: string[]): number {
  if (wanted !== undefined) return names.indexOf(wanted);
  const plain = names.map((name) => name.toLowerCase().replace(/[^a-z0-9]/g, ''));
  for (const candidate of known) {
    const at = plain.indexOf(candidate);
    if (at >= 0) return at;
  }
  return -1;
}
