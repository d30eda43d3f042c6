import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import {
  checkFilter,
  count,
  DAY_MILLIS,
  formatOfFile,
  fullMask,
  parseDate,
  parseFilter,
  rowsOf,
  Sifter,
  unknownOf,
  type Expr,
} from '@clean-sieve/core';
import { convertLiterals, toLonLat } from '../crs/epsg.ts';
import { writeWhole } from '../files/write_whole.ts';

/** A command line that cannot be understood. */
export class UsageError extends Error {}

export interface SiftOptions {
  where?: string;
  out?: string;
  layer?: string;
  filterCrs?: string;
  asOf?: string;
  lon?: string;
  lat?: string;
}

export interface SiftCounts {
  read: number;
  kept: number;
  /** Features for which the filter is unknown, because a value that it needs is blank. */
  unknown: number;
  out?: string;
  notes?: string[];
}

/** Reads a file, sifts it and, if asked, writes what is kept. Nothing is written unless everything went well. */
export async function sift(file: string, options: SiftOptions): Promise<SiftCounts> {
  const asOf = options.asOf === undefined ? Math.floor(Date.now() / DAY_MILLIS) : readDay(options.asOf);
  const inFormat = formatOfFile(basename(file));
  const outFormat = options.out === undefined ? null : formatOfFile(basename(options.out));
  const parsed = options.where === undefined ? null : parseFilter(options.where);
  const convert = options.filterCrs === undefined ? null : toLonLat(options.filterCrs);
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new UsageError(`There is no file ${file}`);
  if (options.layer !== undefined) checkLayer(options.layer, basename(file));
  const { table, notes } = await inFormat.read(createReadStream(file, { highWaterMark: 1 << 20 }), {
    longitude: options.lon,
    latitude: options.lat,
  });
  if (parsed) checkFilter(parsed, table.columns, { projected: convert !== null });
  const expr: Expr | null = parsed && convert ? convertLiterals(parsed.expr, convert) : (parsed?.expr ?? null);
  const sifter = new Sifter(table, asOf);
  const verdict = expr === null ? null : sifter.verdict(expr);
  const yes = verdict?.yes ?? fullMask(table.rows);
  if (outFormat) await writeWhole(options.out!, outFormat.write(table, rowsOf(yes)));
  return {
    read: table.rows,
    kept: count(yes),
    unknown: verdict ? count(unknownOf(verdict)) : 0,
    ...(options.out === undefined ? {} : { out: options.out }),
    ...(notes.length > 0 ? { notes } : {}),
  };
}

function readDay(text: string): number {
  const date = parseDate(text);
  if (date?.precision !== 'day') throw new UsageError(`--as-of ${text} is not a date; write it as in 2024-05-31`);
  return date.day;
}

/** The formats of today hold one layer, which goes by the file's name. */
function checkLayer(layer: string, file: string): void {
  const own = file.replace(/\.[^.]*$/, '');
  if (layer !== own) throw new UsageError(`${file} has one layer, ${own}; there is no layer ${layer} in it`);
}
