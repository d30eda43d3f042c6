import { deserialize } from 'flatgeobuf/lib/mjs/geojson.js';
import type { HeaderMeta } from 'flatgeobuf/lib/mjs/header-meta.js';
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
    const days = await onlyDays(await input.bytes());
    for await (const feature of deserialize(await input.bytes(), { headerMetaFn: onHeader })) {
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
  const expected = (header as HeaderMeta | null)?.featuresCount ?? 0;
  if (expected > taking.builder.rows && !taking.full)
    throw new ReadError(`${input.name} says that it holds ${expected} features, but only ${taking.builder.rows} are there`, 'It may not have been copied whole'); // prettier-ignore
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
      const value = properties?.[name];
      if (typeof value === 'string' && !MIDNIGHT.test(isoTime(value))) days.delete(name);
    }
  }
  return days;
}
