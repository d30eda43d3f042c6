import { gpx } from '@tmcw/togeojson';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { xmlOf } from '../kml/xml.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

const KINDS: Record<string, string> = { trk: 'track', rte: 'route' };

/** Reads GPX 1.0 and 1.1: waypoints, routes and tracks, with the time of a track's first and last position. */
export async function readGpx(input: Input, options: ReadOptions): Promise<ReadResult> {
  const document = await xmlOf(input);
  if (document.documentElement?.localName !== 'gpx')
    throw new ReadError(`${input.name} is XML but not GPX: it begins with <${document.documentElement?.nodeName}>`);
  const taking = new Taking(options);
  for (const [i, { geometry, properties }] of gpx(document as never).features.entries()) {
    if (taking.full) break;
    const { _gpxType: type, coordinateProperties, links, ...rest } = properties as Record<string, unknown>;
    const times = ((coordinateProperties as { times?: unknown[] } | undefined)?.times ?? []).flat();
    taking.feature(
      geometry,
      {
        kind: KINDS[String(type)] ?? 'waypoint',
        ...rest,
        ...(links === undefined ? {} : { links: JSON.stringify(links) }),
        ...(times.length > 0 ? { begins: times[0], ends: times[times.length - 1] } : {}),
      },
      `Element ${i + 1}`,
    );
  }
  return taking.result({ kind: 'crs84' });
}
