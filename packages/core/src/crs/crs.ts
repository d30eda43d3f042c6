import proj4 from 'proj4';

/** A coordinate reference system of a source. Coordinates are x (east), y (north), as files hold them. */
export interface Crs {
  /** `OGC:CRS84`, `EPSG:n`, or `custom` for one that is known by its definition only. */
  name: string;
  label: string;
  /** PROJ string; null for CRS84. */
  definition: string | null;
  /** What a change of datum on the way to WGS 84 is worth, where it is not exact. */
  accuracy: string | null;
  /** Of a `custom` system, the well-known text that it came with. */
  wkt?: string;
}

/** WGS 84 longitude and latitude in degrees, the axis order of GeoJSON. */
export const CRS84: Crs = {
  name: 'OGC:CRS84',
  label: 'longitude, latitude (WGS 84)',
  definition: null,
  accuracy: null,
};

/** What a file says about its coordinates; `unknown` when it says nothing. */
export type CrsClue = { kind: 'crs84' } | { kind: 'epsg'; code: number } | { kind: 'wkt'; wkt: string } | { kind: 'unknown' };

export type Transform = (x: number, y: number) => [number, number];

const identity: Transform = (x, y) => [x, y];
const converters = new Map<string, proj4.Converter>();

function converterOf(definition: string): proj4.Converter {
  let converter = converters.get(definition);
  if (!converter) converters.set(definition, (converter = proj4('EPSG:4326', definition)));
  return converter;
}

/** Longitude and latitude (WGS 84, degrees) of a position of the system, whichever way its axes point; not finite outside what the system can express. */
export function toLonLat(crs: Crs): Transform {
  if (crs.definition === null) return identity;
  const converter = converterOf(crs.definition);
  return (x, y) => {
    if (!Number.isFinite(x) || !Number.isFinite(y)) return [NaN, NaN];
    const [lon, lat] = converter.inverse([x, y], true);
    return [lon, lat];
  };
}

/** The inverse of toLonLat. */
export function fromLonLat(crs: Crs): Transform {
  if (crs.definition === null) return identity;
  const converter = converterOf(crs.definition);
  return (lon, lat) => {
    const [x, y] = converter.forward([lon, lat], true);
    return [x, y];
  };
}

/** Whether coordinates are angles on the ellipsoid rather than lengths in a plane. */
export function isGeographic(crs: Crs): boolean {
  return crs.definition === null || /\+proj=longlat|^\s*GEOG/i.test(crs.definition);
}

/** Metres in one unit of a projected system's coordinates. */
export function metresPerUnit(crs: Crs): number {
  if (crs.definition === null) return NaN;
  // The type declarations of the package leave the field out.
  const { to_meter } = new proj4.Proj(crs.definition) as unknown as { to_meter?: number };
  return to_meter ?? 1;
}

/** Whether two descriptions are of one system: the same name and the same definition. */
export function sameCrs(a: Crs, b: Crs): boolean {
  return a.name === b.name && a.definition === b.definition;
}
