import { csv } from './csv/csv.ts';
import type { Format } from './format.ts';
import { geojson } from './geojson/geojson.ts';
import { geojsonSeq } from './geojson/geojson_seq.ts';
import { ReadError } from './read_error.ts';

export const FORMATS: readonly Format[] = [geojson, geojsonSeq, csv];

export function formatNamed(name: string): Format {
  const format = FORMATS.find((candidate) => candidate.name === name);
  if (!format) throw new ReadError(`There is no format ${name}`);
  return format;
}

/** The format that a file name's ending stands for. Throws a ReadError that lists the endings there are. */
export function formatOfFile(fileName: string): Format {
  const lower = fileName.toLowerCase();
  const format = FORMATS.find((candidate) => candidate.extensions.some((extension) => lower.endsWith(extension)));
  if (format) return format;
  const known = FORMATS.flatMap((candidate) => candidate.extensions).join(', ');
  throw new ReadError(
    `${fileName} has no ending that says which format it is`,
    `Files ending in ${known} can be read and written`,
  );
}
