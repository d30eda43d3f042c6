import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { chosenLayer, isDatabase, layersIn, readLayer, type Crs, type Expr, type LayerRead } from '@clean-sieve/core';
import { fileInput, host } from '../files/file_input.ts';
import { readDatabase } from './read_database.ts';
import { isService, readService, type ReadElsewhere } from './read_service.ts';
import { UsageError } from './usage_error.ts';

/** Whether a FILE is the address of a service or a database. */
export const isElsewhere = (file: string): boolean => isService(file) || isDatabase(file);

/** What is read of a service or a database for a filter; null where a FILE is none. */
export function readElsewhere(file: string, name: string | undefined, filter: Expr | null): Promise<ReadElsewhere> | null {
  if (isService(file)) return readService(file, name, filter);
  return isDatabase(file) ? readDatabase(file, name, filter) : null;
}

/** Reads one layer of a file, or all of a collection of a service or of a table of a database. @param given its system, where the file does not say */
export async function readFile(
  file: string,
  options: { layer?: string; lon?: string; lat?: string; wkt?: string; bare?: boolean },
  given: Crs | null,
): Promise<LayerRead> {
  const elsewhere = await readElsewhere(file, options.layer, null);
  if (elsewhere) return elsewhere;
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new UsageError(`There is no file ${file}`);
  const layer = chosenLayer(await layersIn(await fileInput(file), host), options.layer, basename(file));
  const { lon: longitude, lat: latitude, wkt, bare } = options;
  return readLayer(layer, { longitude, latitude, wkt, bare }, host, given);
}
