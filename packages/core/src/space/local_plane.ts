import { ECCENTRICITY_2, EQUATORIAL_RADIUS, LEAST_CURVATURE_RADIUS } from './geodesic.ts';

const DEGREE = Math.PI / 180;
/** Beyond this latitude, and for longer edges, the plane says nothing. */
const STEEPEST = 89;
const LONGEST_EDGE = 90;

/**
 * The ellipsoid round a position as a plane with the metric that it has there, for distances up to a reach. Within the
 * reach, latitudes differ from the position's by δ = reach / R at most, R the least radius of curvature, and along them
 * the two scales of the metric, M and N·cos φ, change by factors of at most 1 ± `error`: |d ln(N cos φ) / dφ| = (M / N) tan φ ≤ tan φ,
 * and |d ln M / dφ| ≤ 3e² / (2 (1 − e²)) < 0.0102. So a path in that band is as long in the plane as on the ellipsoid, up to that
 * factor: what is nearer in the plane than reach / (1 + error) is within reach, and what is farther than
 * reach · (1 + error) is not.
 */
export class LocalPlane {
  readonly #lon: number;
  readonly #lat: number;
  readonly #east: number;
  readonly #north: number;
  readonly #steep: number;

  /** @param lon longitude and @param lat latitude of the position, in degrees */
  constructor(lon: number, lat: number) {
    const sin = Math.sin(lat * DEGREE);
    const w = 1 - ECCENTRICITY_2 * sin * sin;
    const n = EQUATORIAL_RADIUS / Math.sqrt(w);
    this.#lon = lon;
    this.#lat = lat;
    this.#east = n * Math.cos(lat * DEGREE) * DEGREE;
    this.#north = ((n * (1 - ECCENTRICITY_2)) / w) * DEGREE;
    this.#steep = Math.abs(lat) * DEGREE;
  }

  /** Greatest relative error of lengths up to a reach in metres; Infinity where the plane says nothing. */
  error(reach: number): number {
    const delta = reach / LEAST_CURVATURE_RADIUS;
    const steepest = this.#steep + delta;
    if (!(steepest < STEEPEST * DEGREE)) return Infinity;
    // e^x − 1 ≤ 1.01 x below 0.02; rounding in the plane is far below 10⁻¹².
    const exponent = delta * (Math.tan(steepest) + 0.0102);
    return exponent > 0.02 ? Infinity : 1.01 * exponent + 1e-12;
  }

  /** Distance in metres, in the plane, from the position to an edge; NaN for an edge so long that the plane says nothing. */
  distanceToEdge(lon1: number, lat1: number, lon2: number, lat2: number): number {
    const span = lon2 - lon1;
    if (!(Math.abs(span) <= LONGEST_EDGE)) return NaN;
    let aside = lon1 - this.#lon;
    // The turn of the earth that brings the middle of the edge nearest.
    aside -= 360 * Math.round((aside + span / 2) / 360);
    const x = aside * this.#east;
    const y = (lat1 - this.#lat) * this.#north;
    const dx = span * this.#east;
    const dy = (lat2 - lat1) * this.#north;
    const length2 = dx * dx + dy * dy;
    const along = length2 === 0 ? 0 : Math.max(0, Math.min(1, -(x * dx + y * dy) / length2));
    const [px, py] = [x + along * dx, y + along * dy];
    return Math.sqrt(px * px + py * py);
  }
}
