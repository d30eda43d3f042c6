import type { Geometry } from 'geojson';
import { CRS84 } from '../crs/crs.ts';
import { refuseTooManyColumns } from '../formats/limits.ts';
import { CHUNK_ROWS } from './column.ts';
import { ColumnBuilder } from './column_builder.ts';
import type { GeometryChunk } from './geometry.ts';
import { GeometryBuilder } from './geometry_builder.ts';
import type { FeatureTable } from './table.ts';

/** Collects features one at a time and lays them out as a FeatureTable, in CRS84 until told otherwise. */
export class TableBuilder {
  #rows = 0;
  #columns = new Map<string, ColumnBuilder>();
  #ids: ColumnBuilder | null = null;
  #geometry = new GeometryBuilder();
  #chunks: GeometryChunk[] = [];

  get rows(): number {
    return this.#rows;
  }

  /** Makes sure that a column exists, in this position, even if no feature has a value for it. */
  column(name: string): ColumnBuilder {
    let column = this.#columns.get(name);
    if (column) return column;
    refuseTooManyColumns(this.#columns.size);
    this.#columns.set(name, (column = new ColumnBuilder({ name })));
    return column;
  }

  /** @param id identifier that the format keeps outside the properties, if any */
  addFeature(geometry: Geometry | null, properties: Record<string, unknown> | null, id?: string | number): void {
    const row = this.#rows++;
    this.#addGeometry((builder) => builder.add(geometry));
    if (id !== undefined) (this.#ids ??= new ColumnBuilder({ name: 'id', role: 'id' })).addTyped(row, id);
    for (const name in properties) if (Object.hasOwn(properties, name)) this.column(name).addTyped(row, properties[name]);
  }

  /** @param cells one a column of `columns`, in order; @param plain the same with decimal points */
  addRecord(geometry: Geometry | null, columns: (ColumnBuilder | null)[], cells: string[], plain = cells): void {
    const row = this.#rows++;
    this.#addGeometry((builder) => builder.add(geometry));
    for (let c = 0; c < columns.length; c++) columns[c]?.addCell(row, cells[c], plain[c]);
  }

  #addGeometry(add: (builder: GeometryBuilder) => void): void {
    add(this.#geometry);
    if (this.#geometry.rows < CHUNK_ROWS) return;
    this.#chunks.push(this.#geometry.finish());
    this.#geometry = new GeometryBuilder();
  }

  /** Columns that are text because a whole number in them is larger than a double holds exactly. */
  get beyond(): string[] {
    return [...this.#columns.values()].filter((column) => column.beyond).map(({ schema }) => schema.name);
  }

  finish(): FeatureTable {
    const columns = [...this.#columns.values()].map((column) => column.finish(this.#rows));
    if (this.#ids) {
      const ids = this.#ids.finish(this.#rows);
      columns.unshift({ ...ids, name: freeName('id', new Set(this.#columns.keys())) });
    }
    if (this.#geometry.rows > 0) this.#chunks.push(this.#geometry.finish());
    return { rows: this.#rows, columns, geometry: this.#chunks, crs: CRS84 };
  }
}

/** `name`, or `name_2`, `name_3` … when it is taken. */
export function freeName(name: string, taken: ReadonlySet<string>): string {
  if (!taken.has(name)) return name;
  let n = 2;
  while (taken.has(`${name}_${n}`)) n++;
  return `${name}_${n}`;
}
