import { gpx } from '@tmcw/togeojson';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { xmlOf } from '../kml/xml.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

const KINDS: Record<string, string> = { trk: 'track', rte: 'route' };
/** Elements that features come from, in words. */
const ELEMENTS: Record<string, string> = { wpt: 'waypoints', rte: 'routes', trk: 'tracks' };

/** Reads GPX 1.0 and 1.1: waypoints, routes and tracks, with the time of a track's first and last position. */
export async function readGpx(input: Input, options: ReadOptions): Promise<ReadResult> {
  const document = await xmlOf(input, 'gpx');
  if (document.documentElement?.localName !== 'gpx')
    throw new ReadError(`${input.name} is XML but not GPX: it begins with <${document.documentElement?.nodeName}>`);
  const taking = new Taking(options);
  const found = new Map<string, number>();
  for (const [i, { geometry, properties }] of gpx(document).features.entries()) {
    if (taking.full) break;
    const { _gpxType: type, coordinateProperties, links, ...rest } = properties as Record<string, unknown>;
    const element = KINDS[String(type)] ? String(type) : 'wpt';
    found.set(element, (found.get(element) ?? 0) + 1);
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
  if (!taking.full)
    for (const [element, words] of Object.entries(ELEMENTS)) {
      const missing = document.getElementsByTagNameNS('*', element).length - (found.get(element) ?? 0);
      if (missing > 0) taking.notes.push(`${missing} of the ${words} had no valid position and were left out.`);
    }
  return taking.result({ kind: 'crs84' });
}
