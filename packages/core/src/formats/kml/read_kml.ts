import { kml } from '@tmcw/togeojson';
import type { Geometry } from 'geojson';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { emptyProperties, Taking } from '../taking.ts';
import { xmlOf } from './xml.ts';

/** How a feature is drawn, which is not an attribute of it. */
const STYLE =
  /^(styleUrl|styleHash|styleMapHash|stroke|stroke-opacity|stroke-width|fill|fill-opacity|icon|icon-.*|label-.*|visibility|extrude|tessellate|altitudeMode|gx_.*)$/;

/** Reads KML 2.2 (OGC 07-147r2): placemarks with their extended data. Coordinates are WGS 84 longitude and latitude. */
export async function readKml(input: Input, options: ReadOptions): Promise<ReadResult> {
  const document = await xmlOf(input, 'kml');
  if (document.documentElement?.localName !== 'kml')
    throw new ReadError(`${input.name} is XML but not KML: it begins with <${document.documentElement?.nodeName}>`);
  const taking = new Taking(options);
  let styled = false;
  for (const [i, feature] of kml(document).features.entries()) {
    if (taking.full) break;
    const properties = emptyProperties();
    for (const [name, value] of Object.entries(feature.properties ?? {})) {
      if (STYLE.test(name)) styled = true;
      else if (name === 'timespan') Object.assign(properties, value as object);
      else properties[name] = value !== null && typeof value === 'object' && 'value' in value ? (value as { value: unknown }).value : value;
    }
    taking.feature(multiOf(feature.geometry), properties, `Placemark ${i + 1}`, feature.id);
  }
  if (styled) taking.notes.push('The styles of the placemarks were left out.');
  return taking.result({ kind: 'crs84' });
}

/** KML has one MultiGeometry for all; members of one kind make the multi geometry of that kind. */
function multiOf(geometry: Geometry | null): Geometry | null {
  if (geometry?.type !== 'GeometryCollection' || geometry.geometries.length === 0) return geometry;
  const [first] = geometry.geometries;
  const simple = first.type === 'Point' || first.type === 'LineString' || first.type === 'Polygon';
  if (!simple || geometry.geometries.some((member) => member.type !== first.type)) return geometry;
  const members = geometry.geometries as (typeof first)[];
  return { type: `Multi${first.type}`, coordinates: members.map((member) => member.coordinates) } as Geometry;
}
