import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import {
  CRS84,
  Geos,
  makeTable,
  type ColumnChoice,
  type Crs,
  type FeatureTable,
  type Recipe,
  type ShapeChoice,
  type WrittenFormat,
} from '@clean-sieve/core';
import { crsNamed, wktOf } from '../crs/epsg.ts';
import { writeLayers } from '../export/write_layers.ts';
import { UsageError } from './usage_error.ts';

/** How what is kept is to be written. */
export interface OutOptions {
  columns?: string;
  rename?: string[];
  crs?: string;
  geometry?: string;
  order?: string;
  overwrite?: boolean;
  /** Texts that a spreadsheet would take for formulas stay as they are. */
  formulas?: boolean;
}

/**
 * Writes rows of a table to a file as the options say. Throws before anything is written when they do not fit.
 * @returns what the file does not hold as it is, in words
 */
export async function writeOut(
  path: string,
  format: WrittenFormat,
  table: FeatureTable,
  rows: Uint32Array,
  options: OutOptions,
): Promise<string[]> {
  const there = await stat(path).catch(() => null);
  if (there && !options.overwrite) throw new UsageError(`${path} is there already; choose another name, or add --overwrite to replace it`);
  const { shape, coordinates } = shapeOf(options.geometry);
  const recipe: Recipe = {
    columns: columnsOf(table, options),
    shape,
    crs: crsOf(table, format, options.crs),
    order: orderOf(table, options.order),
  };
  const made = makeTable(table, rows, recipe, new Map(), await Geos.open());
  const { crs } = made.table;
  const layer = {
    name: basename(path).replace(/\.[^.]*$/, ''),
    description: null,
    table: made.table,
    rows: made.rows,
    shapes: shape.kind !== 'none',
    about: new Map(),
    colour: '#2c5b4b',
    wkt: wktOf(crs),
    coordinates,
    guarded: format.writing.cells?.guard === true && options.formulas !== true,
    made: new Date(),
  };
  await writeLayers(path, format, [layer]);
  return (format.writing.losses?.(layer) ?? []).map(({ text }) => text);
}

function columnsOf(table: FeatureTable, { columns, rename = [] }: OutOptions): ColumnChoice[] {
  const known = table.columns.map(({ name }) => name);
  const missing = (name: string) => new UsageError(`There is no column ${name}; the columns are ${known.join(', ')}`);
  const wanted = columns === undefined ? known : columns.split(',').map((name) => name.trim());
  const lost = wanted.find((name) => !known.includes(name));
  if (lost !== undefined) throw missing(lost);
  const names = new Map(
    rename.map((pair) => {
      const [, from, to] = /^([^=]+)=(.+)$/.exec(pair) ?? [];
      if (!from) throw new UsageError(`--rename ${pair} is not two names; write it as in girth_cm=girth`);
      if (!wanted.includes(from)) throw missing(from);
      return [from, to] as const;
    }),
  );
  return wanted.map((name) => ({ name, as: names.get(name) ?? name, codes: 'code' }));
}

function shapeOf(text = 'as-is'): { shape: ShapeChoice; coordinates: 'wkt' | null } {
  if (text === 'wkt') return { shape: { kind: 'as-is' }, coordinates: 'wkt' };
  if (text === 'as-is' || text === 'centroid' || text === 'inside' || text === 'none') return { shape: { kind: text }, coordinates: null };
  const [, kind, metres] = /^(buffer|simplify):(\d+(?:\.\d+)?)$/.exec(text) ?? [];
  if (!kind || !(Number(metres) > 0))
    throw new UsageError(`--geometry ${text} is not known; write as-is, centroid, inside, buffer:50, simplify:10, none or wkt`);
  return { shape: { kind: kind as 'buffer' | 'simplify', metres: Number(metres) }, coordinates: null };
}

/** Formats for reading by people and scripts are in longitude and latitude unless another system is asked for. */
function crsOf(table: FeatureTable, { label, writing }: WrittenFormat, text: string | undefined): Crs {
  if (text === undefined) return writing.lonLatOnly || writing.cells ? CRS84 : table.crs;
  const crs = crsNamed(text);
  if (writing.lonLatOnly && crs.definition !== null)
    throw new UsageError(`${label} is in longitude and latitude; leave --crs out, or choose another format`);
  return crs;
}

function orderOf(table: FeatureTable, text: string | undefined): Recipe['order'] {
  if (text === undefined) return null;
  const [, column, down] = /^(.*?)(:desc)?$/.exec(text)!;
  if (!table.columns.some(({ name }) => name === column)) throw new UsageError(`There is no column ${column} to order by`);
  return { column, descending: down !== undefined };
}
