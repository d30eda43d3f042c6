import { readFile } from 'node:fs/promises';
import { gunzipSync } from 'node:zlib';
import {
  CHUNK_ROWS,
  checkFilter,
  fullMask,
  layersIn,
  memoryInput,
  readLayer,
  rowsOf,
  Sifter,
  takeRows,
  valueAt,
  type Expr,
  type FeatureTable,
} from '@clean-sieve/core';
import { host } from '../files/file_input.ts';
import { geos } from '../export/kept_of_source.ts';

/** Reports that have come in when the clock begins; a new one follows every so many milliseconds. */
const FIRST = 5200;
const EVERY = 30_000;

/** The reports that have come in so far, by a clock that begins when it is made. */
export class StormReports {
  readonly #table: FeatureTable;
  readonly #clock: () => number;
  readonly #began: number;
  #now: { rows: number; sifter: Sifter } | null = null;

  private constructor(table: FeatureTable, clock: () => number) {
    [this.#table, this.#clock, this.#began] = [table, clock, clock()];
  }

  /** @param file the packed GeoJSON of the demo; @param clock milliseconds */
  static async open(file: string, clock: () => number = Date.now): Promise<StormReports> {
    const [layer] = await layersIn(memoryInput('storm_reports.geojson', gunzipSync(await readFile(file))), host);
    const { table } = await readLayer(layer, {}, host);
    return new StormReports(table, clock);
  }

  get columns() {
    return this.#table.columns.filter(({ role }) => role !== 'id').map(({ name, type }) => ({ name, type }));
  }

  /** The features that a filter keeps of those that have come in, from one place on, as GeoJSON. Throws a FilterError. */
  async page(filter: Expr | null, offset: number, limit: number): Promise<{ matched: number; features: string[] }> {
    const { table, sifter } = await this.#known();
    if (filter !== null) checkFilter(filter, this.columns);
    const rows = rowsOf(filter === null ? fullMask(table.rows) : sifter.verdict(filter).yes);
    return { matched: rows.length, features: Array.from(rows.subarray(offset, offset + limit), (row) => featureText(table, row)) };
  }

  async #known(): Promise<{ table: FeatureTable; sifter: Sifter }> {
    const rows = Math.min(this.#table.rows, FIRST + Math.floor((this.#clock() - this.#began) / EVERY));
    if (this.#now?.rows !== rows) {
      const table = takeRows(
        this.#table,
        Uint32Array.from({ length: rows }, (_, row) => row),
      );
      this.#now = { rows, sifter: new Sifter(table, 0, table.crs, await geos.get()) };
    }
    return { table: this.#now.sifter.table, sifter: this.#now.sifter };
  }
}

function featureText(table: FeatureTable, row: number): string {
  const id = table.columns.find(({ role }) => role === 'id');
  const properties = table.columns.filter((column) => column !== id).map((column) => [column.name, valueAt(column, row)]);
  return JSON.stringify({
    type: 'Feature',
    id: id ? valueAt(id, row) : row + 1,
    geometry: table.geometry[Math.floor(row / CHUNK_ROWS)].geometryAt(row % CHUNK_ROWS),
    properties: Object.fromEntries(properties) as Record<string, unknown>,
  });
}
