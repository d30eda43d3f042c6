const RADIUS = 6_378_137;
/** Latitude at which the square web map ends (OGC 17-083r4, annex D); farther positions are drawn at its edge. */
export const FARTHEST_LATITUDE = 85.0511287798066;

/** Web Mercator metres (EPSG:3857; EPSG guidance note 7-2, method 1024) of a longitude and latitude in degrees. */
export function toMercator(lon: number, lat: number): [number, number] {
  const phi = Math.max(-FARTHEST_LATITUDE, Math.min(FARTHEST_LATITUDE, lat)) * (Math.PI / 180);
  return [lon * (Math.PI / 180) * RADIUS, Math.log(Math.tan(Math.PI / 4 + phi / 2)) * RADIUS];
}

/** Longitude and latitude in degrees of web Mercator metres: the inverse of `toMercator` within its latitudes. */
export function fromMercator(x: number, y: number): [number, number] {
  return [(x / RADIUS) * (180 / Math.PI), (2 * Math.atan(Math.exp(y / RADIUS)) - Math.PI / 2) * (180 / Math.PI)];
}
