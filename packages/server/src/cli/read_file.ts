import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { chosenLayer, layersIn, readLayer, type Crs, type LayerRead } from '@clean-sieve/core';
import { fileInput, host } from '../files/file_input.ts';
import { isService, readService } from './read_service.ts';
import { UsageError } from './usage_error.ts';

/** Reads one layer of a file, or all of a collection of a service. @param given its system, where the file does not say */
export async function readFile(
  file: string,
  options: { layer?: string; lon?: string; lat?: string; wkt?: string; bare?: boolean },
  given: Crs | null,
): Promise<LayerRead> {
  if (isService(file)) return readService(file, options.layer, null);
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new UsageError(`There is no file ${file}`);
  const layer = chosenLayer(await layersIn(await fileInput(file), host), options.layer, basename(file));
  const { lon: longitude, lat: latitude, wkt, bare } = options;
  return readLayer(layer, { longitude, latitude, wkt, bare }, host, given);
}
