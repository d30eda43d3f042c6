import library from 'geographiclib-geodesic';

const WGS84 = library.Geodesic.WGS84;

/** WGS 84 ellipsoid (EPSG:7030): equatorial radius in metres and flattening. */
export const EQUATORIAL_RADIUS = 6_378_137;
export const FLATTENING = 1 / 298.257223563;
export const ECCENTRICITY_2 = FLATTENING * (2 - FLATTENING);
/** Smallest radius of curvature on the ellipsoid, b²/a, along the meridian at the equator. */
export const LEAST_CURVATURE_RADIUS = EQUATORIAL_RADIUS * (1 - ECCENTRICITY_2);

/**
 * Length in metres of the shortest path on the WGS 84 ellipsoid. Source: C. F. F. Karney, Algorithms for
 * geodesics, J. Geodesy 87 (2013); the error of the algorithm is some 15 nm.
 */
export function geodesicDistance(lon1: number, lat1: number, lon2: number, lat2: number): number {
  return WGS84.Inverse(lat1, lon1, lat2, lon2, library.Geodesic.DISTANCE).s12;
}

/** Direction, in degrees from north, clockwise, in which the shortest path to the other position sets out. */
export function geodesicAzimuth(lon1: number, lat1: number, lon2: number, lat2: number): number {
  return WGS84.Inverse(lat1, lon1, lat2, lon2).azi1;
}

/** Position reached from lon, lat (degrees) after `metres` towards `azimuth` (degrees from north, clockwise). */
export function geodesicPoint(lon: number, lat: number, azimuth: number, metres: number): [number, number] {
  const { lon2, lat2 } = WGS84.Direct(lat, lon, azimuth, metres);
  return [lon2, lat2];
}

/**
 * The same for at most 2 km, away from the poles, to a tenth of a millimetre: Gauss' formulas about the middle of the path (W.
 * Torge, Geodesy, 3rd ed., 2001, section 6.3.3, from memory), many times faster.
 */
export function nearbyPoint(lon: number, lat: number, azimuth: number, metres: number): [number, number] {
  if (metres > NEARBY || Math.abs(lat) > 75) return geodesicPoint(lon, lat, azimuth, metres);
  const degree = Math.PI / 180;
  const phi = lat * degree;
  let [middle, heading, north, east] = [phi, azimuth * degree, 0, 0];
  for (let i = 0; i < 3; i++) {
    const sin = Math.sin(middle);
    const w = 1 - ECCENTRICITY_2 * sin * sin;
    const nu = EQUATORIAL_RADIUS / Math.sqrt(w);
    north = (metres * Math.cos(heading) * w) / (nu * (1 - ECCENTRICITY_2));
    east = (metres * Math.sin(heading)) / (nu * Math.cos(middle));
    middle = phi + north / 2;
    heading = azimuth * degree + (east / 2) * Math.sin(middle);
  }
  const x = lon + east / degree;
  return [x > 180 ? x - 360 : x < -180 ? x + 360 : x, lat + north / degree];
}

const NEARBY = 2000;

/** Earth-centred, earth-fixed coordinates in metres of a position on the ellipsoid (EPSG guidance note 7-2, method 9602). */
export function earthCentred(lon: number, lat: number): [number, number, number] {
  const [phi, lambda] = [lat * (Math.PI / 180), lon * (Math.PI / 180)];
  const sin = Math.sin(phi);
  const nu = EQUATORIAL_RADIUS / Math.sqrt(1 - ECCENTRICITY_2 * sin * sin);
  const p = nu * Math.cos(phi);
  return [p * Math.cos(lambda), p * Math.sin(lambda), nu * (1 - ECCENTRICITY_2) * sin];
}

/**
 * Bounds in metres on the geodesic s whose straight chord is c: c ≤ s, and by Schur's comparison theorem
 * s ≤ 2R·asin(c / 2R) with R the least radius of curvature. The margin covers rounding in earth-centred coordinates.
 */
export function chordBracket(chord: number): [least: number, most: number] {
  const half = chord / (2 * LEAST_CURVATURE_RADIUS);
  const margin = 1e-6;
  return [chord - margin, half >= 1 ? Infinity : 2 * LEAST_CURVATURE_RADIUS * Math.asin(half) + margin];
}

/**
 * The same bracket the other way: a comparison of a geodesic with a radius is settled by the chord alone unless the
 * radius falls between the two bounds, which for 500 m is a band of a micrometre.
 */
export class ChordBracket {
  /** Chords up to this one are surely within. */
  readonly surelyWithin: number;
  /** Chords beyond this one are surely farther. */
  readonly surelyBeyond: number;

  constructor(radius: number) {
    const margin = 1e-6;
    const angle = radius / (2 * LEAST_CURVATURE_RADIUS);
    this.surelyWithin = angle >= Math.PI / 2 ? -1 : 2 * LEAST_CURVATURE_RADIUS * Math.sin(angle) - margin;
    this.surelyBeyond = radius + margin;
  }
}
