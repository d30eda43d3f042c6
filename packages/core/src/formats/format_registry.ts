import { csv } from './csv/csv.ts';
import { flatgeobuf } from './flatgeobuf/flatgeobuf.ts';
import type { Format } from './format.ts';
import { geojson } from './geojson/geojson.ts';
import { geojsonSeq } from './geojson/geojson_seq.ts';
import { geopackage } from './geopackage/geopackage.ts';
import { geoparquet } from './geoparquet/geoparquet.ts';
import { gpx } from './gpx/gpx.ts';
import { headOf, type Input } from './input.ts';
import { isXml } from './kml/is_xml.ts';
import { kml, kmz } from './kml/kml.ts';
import { ReadError } from './read_error.ts';
import { shapefile } from './shapefile/shapefile.ts';
import { topojson } from './topojson/topojson.ts';
import { wkt } from './wkt/wkt.ts';
import { workbook } from './workbook/workbook.ts';

export const FORMATS: readonly Format[] = [
  geojson,
  geojsonSeq,
  csv,
  geopackage,
  shapefile,
  flatgeobuf,
  geoparquet,
  kml,
  kmz,
  gpx,
  topojson,
  wkt,
  workbook,
];

/** Endings of archives, which are opened for the files in them. */
export const ARCHIVES = ['.zip', '.kmz'];

/**
 * The format of a name.
 * @throws ReadError where there is none
 */
export function formatNamed(name: string): Format {
  const format = FORMATS.find((candidate) => candidate.name === name);
  if (!format) throw new ReadError(`There is no format ${name}`);
  return format;
}

/** The format that a file name's ending stands for, null when none does. */
export function formatOfEnding(fileName: string): Format | null {
  const lower = fileName.toLowerCase();
  return FORMATS.find(({ archive, extensions }) => !archive && extensions.some((extension) => lower.endsWith(extension))) ?? null;
}

export type WrittenFormat = Format & Required<Pick<Format, 'writing'>>;

/** The formats that can be written. */
export const WRITTEN_FORMATS = FORMATS.filter((format): format is WrittenFormat => format.writing !== undefined);

/**
 * The format of a name, to be written.
 * @throws ReadError where there is none, or it is only read
 */
export function writtenFormatNamed(name: string): WrittenFormat {
  const format = formatNamed(name);
  if (!format.writing) throw new ReadError(`${format.label} cannot be written`);
  return format as WrittenFormat;
}

/** The format in which a file of this name is written. Throws a ReadError that lists the endings there are. */
export function writtenFormatOf(fileName: string): WrittenFormat {
  const lower = fileName.toLowerCase();
  const written = WRITTEN_FORMATS.find(({ extensions, writing }) =>
    [...extensions, writing.extension].some((ending) => lower.endsWith(ending)),
  );
  if (written) return written;
  const known = WRITTEN_FORMATS.map(({ writing }) => writing.extension);
  throw new ReadError(`${fileName} has no ending that says which format to write`, `Files ending in ${known.join(', ')} can be written`);
}

/** Whether the file is a zip archive, whatever it is called. */
export async function isArchive(input: Input): Promise<boolean> {
  const head = await headOf(input, 4);
  return head[0] === 0x50 && head[1] === 0x4b && (head[2] === 3 || head[2] === 5 || head[2] === 7);
}

/**
 * The format of a file by its first bytes, which know better than its name; by its name where they say nothing.
 * Throws a ReadError that lists the endings there are.
 */
export async function recognise(input: Input): Promise<Format> {
  const head = await headOf(input, 4096);
  const found = formatOfBytes(head, input.name) ?? formatOfEnding(input.name);
  if (found) {
    if (head.length === 0) throw new ReadError(`${input.name} is empty`);
    return found;
  }
  const known = [
    ...FORMATS.filter(({ archive, writtenOnly }) => !archive && !writtenOnly).flatMap(({ extensions }) => extensions),
    ...ARCHIVES,
  ].join(', ');
  throw new ReadError(`${input.name} has no ending that says which format it is`, `Files ending in ${known} can be read`);
}

function formatOfBytes(head: Uint8Array, name: string): Format | null {
  const text = new TextDecoder('latin1')
    .decode(head)
    .replace(/^\u00ef\u00bb\u00bf/, '')
    .trimStart();
  const signed = FORMATS.find(({ signature }) => signature?.(head, text));
  if (signed) return signed;
  const ending = formatOfEnding(name);
  if (isXml(text)) {
    if (ending === kml || ending === gpx) return ending;
    throw new ReadError(`${name} is XML, but neither KML nor GPX`);
  }
  // What opens with a brace is JSON even when it is called .txt.
  if (text.startsWith('{')) return [geojsonSeq, topojson, geojson].find((one) => one === ending) ?? geojson;
  return null;
}
