import { deserialize } from 'flatgeobuf/lib/mjs/geojson.js';
import { fromByteBuffer, type HeaderMeta } from 'flatgeobuf/lib/mjs/header-meta.js';
import { calcTreeSize } from 'flatgeobuf/lib/mjs/packedrtree.js';
import { ByteBuffer } from 'flatbuffers';
import type { CrsClue } from '../../crs/crs.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

/** Column types of the format by number: 13 is a date-time, 14 binary data. */
const [DATE_TIME, BINARY] = [13, 14];

/** Reads FlatGeobuf. Binary columns are left out, and it is said. */
export async function readFlatGeobuf(input: Input, options: ReadOptions): Promise<ReadResult> {
  const taking = new Taking(options);
  let header: HeaderMeta | null = null;
  const binary = new Set<string>();
  const times = new Set<string>();
  const onHeader = (meta: HeaderMeta) => {
    header = meta;
    for (const { name, type } of meta.columns ?? []) {
      const code = type as number;
      if (code === BINARY) {
        binary.add(name);
        taking.notes.push(`The column ${name} holds binary data and was left out.`);
      } else taking.builder.column(name);
      if (code === DATE_TIME) times.add(name);
    }
  };
  try {
    const bytes = await input.bytes();
    // Of no feature there is nothing to deserialize, and the parser would look for the root of an empty index for ever.
    const frames = checkFrames(bytes, input.name);
    if (frames.features === 0) {
      onHeader(frames.header);
      return taking.result(crsOf(frames.header));
    }
    const days = await onlyDays(bytes);
    for await (const feature of deserialize(bytes, { headerMetaFn: onHeader })) {
      if (taking.full) break;
      const properties: Record<string, unknown> = {};
      for (const [name, value] of Object.entries(feature.properties ?? {})) {
        if (binary.has(name)) continue;
        properties[name] =
          typeof value === 'bigint' ? exact(value) : times.has(name) ? timeText(String(value), days.has(name)) : value;
      }
      taking.feature(feature.geometry ?? null, properties, `Feature ${taking.builder.rows + 1}`);
    }
  } catch (error) {
    if (error instanceof ReadError || (error as Error).name === 'Cancelled') throw error;
    throw new ReadError(
      `${input.name} cannot be read as FlatGeobuf: ${(error as Error).message}`,
      'It may be damaged or not have been copied whole',
    );
  }
  return taking.result(crsOf(header));
}

function crsOf(header: HeaderMeta | null): CrsClue {
  const crs = header?.crs;
  if (crs?.code && (crs.org ?? 'EPSG') === 'EPSG') return { kind: 'epsg', code: crs.code };
  return crs?.wkt ? { kind: 'wkt', wkt: crs.wkt } : { kind: 'unknown' };
}

function timeText(text: string, day: boolean): string {
  return day ? isoTime(text).replace(MIDNIGHT, '') : isoTime(text);
}

function exact(value: bigint): number | string {
  return Number.isSafeInteger(Number(value)) ? Number(value) : value.toString();
}

/**
 * Walks the sizes by which features are laid one after the other: the parser trusts them and would run on without end.
 * Source: the FlatGeobuf specification, version 3: magic bytes, size-prefixed header, index, size-prefixed features.
 */
function checkFrames(bytes: Uint8Array, name: string): { header: HeaderMeta; features: number } {
  const damaged = (where: string) => new ReadError(`${name} is damaged: ${where}`, 'It may not have been copied whole');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12) throw damaged('it has no header');
  const headerSize = view.getUint32(8, true);
  if (12 + headerSize > bytes.length) throw damaged('its header is longer than the file');
  const header = fromByteBuffer(new ByteBuffer(bytes.subarray(8, 12 + headerSize)));
  const { featuresCount, indexNodeSize } = header;
  // A feature takes at least its size and a table; more of them than that allows cannot be there.
  if (!(featuresCount >= 0 && featuresCount <= bytes.length / 8)) throw damaged(`it says that it holds ${featuresCount} features`); // prettier-ignore
  if (indexNodeSize === 1 || indexNodeSize > 65_535) throw damaged('its index has an impossible node size');
  let at = 12 + headerSize + (indexNodeSize > 0 && featuresCount > 0 ? calcTreeSize(featuresCount, indexNodeSize) : 0);
  if (featuresCount === 0 && indexNodeSize > 0 && at < bytes.length)
    throw damaged('it has features but says it has none');
  if (at > bytes.length) throw damaged('its index is longer than the file');
  let features = 0;
  while (at < bytes.length) {
    const size = at + 4 <= bytes.length ? view.getUint32(at, true) : 0;
    if (size < 8 || at + 4 + size > bytes.length) throw damaged(`feature ${features + 1} does not fit into the file`);
    at += 4 + size;
    features++;
  }
  if (featuresCount > 0 && features !== featuresCount)
    throw damaged(`it says that it holds ${featuresCount} features, but ${features} are there`);
  return { header, features };
}

/** Times are ISO 8601 by the format's rule; some writers put a space or slashes. */
function isoTime(text: string): string {
  return text.replaceAll('/', '-').replace(' ', 'T');
}

const MIDNIGHT = /T00:00:00(\.0+)?$/;

/** Date-time columns in which every value is a midnight without a zone: the format has no dates, so writers put those. */
async function onlyDays(bytes: Uint8Array): Promise<Set<string>> {
  const days = new Set<string>();
  const onHeader = ({ columns }: HeaderMeta) =>
    columns?.forEach(({ name, type }) => (type as number) === DATE_TIME && days.add(name));
  for await (const { properties } of deserialize(bytes, { headerMetaFn: onHeader })) {
    if (days.size === 0) break;
    for (const name of days) {
      const value: unknown = properties?.[name];
      if (typeof value === 'string' && !MIDNIGHT.test(isoTime(value))) days.delete(name);
    }
  }
  return days;
}
