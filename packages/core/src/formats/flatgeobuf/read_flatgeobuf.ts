import { Feature } from 'flatgeobuf/lib/mjs/flat-geobuf/feature.js';
import { fromGeometry } from 'flatgeobuf/lib/mjs/geojson/geometry.js';
import { fromByteBuffer, type HeaderMeta } from 'flatgeobuf/lib/mjs/header-meta.js';
import { calcTreeSize } from 'flatgeobuf/lib/mjs/packedrtree.js';
import { ByteBuffer } from 'flatbuffers';
import type { CrsClue } from '../../crs/crs.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { emptyProperties, Taking } from '../taking.ts';
import { attributesOf, BINARY } from './properties.ts';

/** Column type of date-times. */
const DATE_TIME = 13;

/** Reads FlatGeobuf. Binary columns are left out, and it is said. */
export async function readFlatGeobuf(input: Input, options: ReadOptions): Promise<ReadResult> {
  const taking = new Taking(options);
  const times = new Set<string>();
  const bytes = await input.bytes();
  const { header, starts } = framesOf(bytes, input.name);
  for (const { name, type } of header.columns ?? []) {
    const code = type as number;
    if (code === BINARY) taking.notes.push(`The column ${name} holds binary data and was left out.`);
    else taking.builder.column(name);
    if (code === DATE_TIME) times.add(name);
  }
  const read = (start: number) => Feature.getSizePrefixedRootAsFeature(new ByteBuffer(bytes.subarray(start)));
  const attributes = function* (start: number, n: number) {
    try {
      yield* attributesOf(read(start), header.columns ?? []);
    } catch (error) {
      if (error instanceof RangeError)
        throw new ReadError(`${input.name} is damaged: feature ${n}: ${error.message}`, 'It may not have been copied whole');
      throw error;
    }
  };
  const days = onlyDays(starts, attributes, times);
  for (const [i, start] of starts.entries()) {
    if (taking.full) break;
    const feature = read(start);
    const properties = emptyProperties();
    for (const [{ name, type }, value] of attributes(start, i + 1))
      if ((type as number) !== BINARY)
        properties[name] = times.has(name) && typeof value === 'string' ? timeText(value, days.has(name)) : value;
    const shape = feature.geometry();
    taking.feature(shape && fromGeometry(shape, header.geometryType), properties, `Feature ${taking.builder.rows + 1}`);
  }
  return taking.result(crsOf(header));
}

function crsOf({ crs }: HeaderMeta): CrsClue {
  if (crs?.code && (crs.org ?? 'EPSG') === 'EPSG') return { kind: 'epsg', code: crs.code };
  return crs?.wkt ? { kind: 'wkt', wkt: crs.wkt } : { kind: 'unknown' };
}

function timeText(text: string, day: boolean): string {
  return day ? isoTime(text).replace(MIDNIGHT, '') : isoTime(text);
}

/**
 * The header and where each feature starts. The sizes by which they are laid one after the other are checked: the parser trusts
 * them.
 * Source: the FlatGeobuf specification, version 3: magic bytes, size-prefixed header, index, size-prefixed features.
 */
function framesOf(bytes: Uint8Array, name: string): { header: HeaderMeta; starts: number[] } {
  const damaged = (where: string) => new ReadError(`${name} is damaged: ${where}`, 'It may not have been copied whole');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 12) throw damaged('it has no header');
  const headerSize = view.getUint32(8, true);
  if (12 + headerSize > bytes.length) throw damaged('its header is longer than the file');
  const header = fromByteBuffer(new ByteBuffer(bytes.subarray(8, 12 + headerSize)));
  const { featuresCount, indexNodeSize } = header;
  // A feature takes at least its size and a table; more of them than that allows cannot be there.
  if (!(featuresCount >= 0 && featuresCount <= bytes.length / 8)) throw damaged(`it says that it holds ${featuresCount} features`);
  if (indexNodeSize === 1 || indexNodeSize > 65_535) throw damaged('its index has an impossible node size');
  let at = 12 + headerSize + (indexNodeSize > 0 && featuresCount > 0 ? calcTreeSize(featuresCount, indexNodeSize) : 0);
  if (featuresCount === 0 && indexNodeSize > 0 && at < bytes.length) throw damaged('it has features but says it has none');
  if (at > bytes.length) throw damaged('its index is longer than the file');
  const starts: number[] = [];
  while (at < bytes.length) {
    const size = at + 4 <= bytes.length ? view.getUint32(at, true) : 0;
    if (size < 8 || at + 4 + size > bytes.length) throw damaged(`feature ${starts.length + 1} does not fit into the file`);
    starts.push(at);
    at += 4 + size;
  }
  if (featuresCount > 0 && starts.length !== featuresCount)
    throw damaged(`it says that it holds ${featuresCount} features, but ${starts.length} are there`);
  return { header, starts };
}

/** Times are ISO 8601 by the format's rule; some writers put a space or slashes. */
function isoTime(text: string): string {
  return text.replaceAll('/', '-').replace(' ', 'T');
}

const MIDNIGHT = /T00:00:00(\.0+)?$/;

/** Date-time columns in which every value is a midnight without a zone: the format has no dates, so writers put those. */
function onlyDays(
  starts: number[],
  read: (start: number, n: number) => Iterable<[{ name: string }, unknown]>,
  times: Set<string>,
): Set<string> {
  const days = new Set(times);
  for (const [i, start] of starts.entries()) {
    if (days.size === 0) break;
    for (const [{ name }, value] of read(start, i + 1))
      if (days.has(name) && typeof value === 'string' && !MIDNIGHT.test(isoTime(value))) days.delete(name);
  }
  return days;
}
