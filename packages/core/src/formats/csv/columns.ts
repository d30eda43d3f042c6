/** Column names that are taken for coordinates, most telling first; case and separators are free. */
const LONGITUDE = ['longitude', 'lon', 'lng', 'long', 'xlongitude', 'lonwgs84', 'londd'];
const LATITUDE = ['latitude', 'lat', 'ylatitude', 'latwgs84', 'latdd'];
const EASTING = ['x', 'easting', 'eastings', 'east', 'xcoord', 'coordx', 'pointx', 'ost', 'rechtswert'];
const NORTHING = ['y', 'northing', 'northings', 'north', 'ycoord', 'coordy', 'pointy', 'nord', 'hochwert'];
const WKT = ['wkt', 'wktgeometry', 'wktgeom', 'geomwkt', 'geometry', 'geom', 'thegeom', 'shape'];

/** Where the coordinates of a table are: two columns, or one of well-known text. Indexes; −1 where not found. */
export interface CoordinateColumns {
  x: number;
  y: number;
  wkt: number;
  /** The names say longitude and latitude, rather than just x and y. */
  geographic: boolean;
}

/** Finds the coordinate columns by name, or takes those that the person named; none where the table is taken without geometry. */
export function coordinateColumns(
  names: string[],
  wanted: { longitude?: string; latitude?: string; wkt?: string; bare?: boolean },
): CoordinateColumns {
  if (wanted.bare) return { x: -1, y: -1, wkt: -1, geographic: false };
  if (wanted.wkt !== undefined) return { x: -1, y: -1, wkt: names.indexOf(wanted.wkt), geographic: false };
  const plain = names.map((name) => name.toLowerCase().replace(/[^a-z0-9]/g, ''));
  const find = (known: string[]) => known.map((name) => plain.indexOf(name)).find((at) => at >= 0) ?? -1;
  if (wanted.longitude !== undefined || wanted.latitude !== undefined) {
    const [x, y] = [wanted.longitude, wanted.latitude].map((name) => (name === undefined ? -1 : names.indexOf(name)));
    return { x, y, wkt: -1, geographic: false };
  }
  const [lon, lat] = [find(LONGITUDE), find(LATITUDE)];
  if (lon >= 0 && lat >= 0) return { x: lon, y: lat, wkt: -1, geographic: true };
  const [x, y] = [find(EASTING), find(NORTHING)];
  const wkt = find(WKT);
  if (x >= 0 && y >= 0) return { x, y, wkt: -1, geographic: false };
  if (wkt >= 0) return { x: -1, y: -1, wkt, geographic: false };
  return { x: lon >= 0 ? lon : x, y: lat >= 0 ? lat : y, wkt: -1, geographic: false };
}
