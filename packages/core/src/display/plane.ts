import type { Box } from '../features/geometry.ts';
import { FARTHEST_LATITUDE, fromMercator, toMercator } from './mercator.ts';

/**
 * A plane that the map is drawn on: web Mercator; the world at equal areas (Equal Earth); or what lies round a pole at equal areas, with
 * a meridian that points down from the north pole, or up from the south pole. All are planes of a sphere as large as that of web
 * Mercator, and have tiles in squares of the same size: they are for looking at, and nothing is measured on them.
 */
export type PlaneName = 'mercator' | 'world' | `north ${number}` | `south ${number}`;

/** One of these planes. Coordinates are metres of the plane, longitude and latitude are degrees. */
export interface DisplayPlane {
  forward: (lon: number, lat: number) => [x: number, y: number];
  /** Null where no place of the earth is. */
  inverse: (x: number, y: number) => [lon: number, lat: number] | null;
  /** Longitudes and latitudes of all that can lie in a box of the plane, or somewhat more. */
  around: (box: Box) => Box;
  /** Latitudes that are drawn. */
  latitudes: readonly [least: number, most: number];
  /** Degrees of an edge that is straight in longitude and latitude, up to which it is taken for straight on the plane too. */
  straight: number;
}

const RADIUS = 6_378_137;
const RAD = Math.PI / 180;
/** Half of the side of the square that holds a plane; tiles are parts of it. */
export const PLANE_HALF = Math.PI * RADIUS;
/** Round a pole the map goes on to this latitude of the other hemisphere. */
const BEYOND_EQUATOR = -30;

const MERCATOR: DisplayPlane = {
  forward: toMercator,
  inverse: fromMercator,
  around: ([minX, minY, maxX, maxY]) => [...fromMercator(minX, minY), ...fromMercator(maxX, maxY)],
  latitudes: [-FARTHEST_LATITUDE, FARTHEST_LATITUDE],
  straight: Infinity,
};

// Equal Earth (Šavrič, Patterson and Jenny 2018, doi:10.1080/13658816.2018.1504949), on the sphere.
const [A1, A2, A3, A4] = [1.340264, -0.081106, 0.000893, 0.003796];
const M = Math.sqrt(3) / 2;
const slope = (t: number) => A1 + 3 * A2 * t ** 2 + t ** 6 * (7 * A3 + 9 * A4 * t ** 2);
const height = (t: number) => t * (A1 + A2 * t ** 2 + t ** 6 * (A3 + A4 * t ** 2));
/** Metres of a degree of longitude at a parametric latitude in radians. */
const width = (t: number) => (RADIUS * RAD * Math.cos(t)) / (M * slope(t));
const TALLEST = RADIUS * height(Math.asin(M));

/** Parametric latitude of a height in the plane, by Newton's method. */
function parametric(y: number): number {
  const wanted = y / RADIUS;
  let t = wanted / A1;
  for (let i = 0; i < 12; i++) {
    const step = (height(t) - wanted) / slope(t);
    t -= step;
    if (Math.abs(step) < 1e-13) break;
  }
  return t;
}
const latitudeOf = (t: number) => Math.asin(Math.max(-1, Math.min(1, Math.sin(t) / M))) / RAD;

const WORLD: DisplayPlane = {
  forward(lon, lat) {
    const t = Math.asin(M * Math.sin(lat * RAD));
    return [lon * width(t), RADIUS * height(t)];
  },
  inverse(x, y) {
    if (Math.abs(y) > TALLEST * (1 + 1e-12)) return null;
    const t = parametric(y);
    const lon = x / width(t);
    // At 180° the division may round to the other side.
    return Math.abs(lon) <= 180 + 1e-9 ? [Math.max(-180, Math.min(180, lon)), latitudeOf(t)] : null;
  },
  around([minX, minY, maxX, maxY]) {
    const [low, high] = [minY, maxY].map((y) => parametric(Math.max(-TALLEST, Math.min(TALLEST, y))));
    // A degree of longitude is widest at the equator and narrowest at the end that is farthest from it.
    const widths = [low, high, ...(low < 0 && high > 0 ? [0] : [])].map(width);
    const lons = widths.flatMap((one) => [minX / one, maxX / one]);
    return [Math.max(-180, Math.min(...lons)), latitudeOf(low), Math.min(180, Math.max(...lons)), latitudeOf(high)];
  },
  latitudes: [-90, 90],
  straight: 2,
};

/** Lambert's azimuthal equal-area projection of the sphere round a pole (Snyder 1987, Map projections, equations 24-3 to 24-13). */
function polar(sign: 1 | -1, meridian: number): DisplayPlane {
  const forward: DisplayPlane['forward'] = (lon, lat) => {
    const rho = 2 * RADIUS * Math.sin(((90 - sign * lat) * RAD) / 2);
    const along = (lon - meridian) * RAD;
    return [rho * Math.sin(along), -sign * rho * Math.cos(along)];
  };
  const colatitude = (rho: number) => (2 * Math.asin(Math.min(1, rho / (2 * RADIUS)))) / RAD;
  const longitude = (x: number, y: number) => ((((meridian + Math.atan2(x, -sign * y) / RAD + 180) % 360) + 360) % 360) - 180;
  return {
    forward,
    inverse(x, y) {
      const rho = Math.hypot(x, y);
      const away = colatitude(rho);
      return rho > 2 * RADIUS || away > 90 - BEYOND_EQUATOR + 1e-9 ? null : [longitude(x, y), sign * (90 - away)];
    },
    around([minX, minY, maxX, maxY]) {
      const nearest = Math.hypot(Math.max(minX, Math.min(0, maxX)), Math.max(minY, Math.min(0, maxY)));
      const corners: [number, number][] = [
        [minX, minY],
        [maxX, minY],
        [maxX, maxY],
        [minX, maxY],
      ];
      const farthest = Math.max(...corners.map(([x, y]) => Math.hypot(x, y)));
      const lats = [nearest, farthest].map((rho) => sign * (90 - colatitude(rho))).sort((a, b) => a - b);
      const lons = corners.map(([x, y]) => longitude(x, y));
      const [west, east] = [Math.min(...lons), Math.max(...lons)];
      // Round the pole, or where the box may lie across the 180° meridian, any longitude is in it.
      return nearest === 0 || east - west > 180 ? [-180, lats[0], 180, lats[1]] : [west, lats[0], east, lats[1]];
    },
    latitudes: sign > 0 ? [BEYOND_EQUATOR, 90] : [-90, -BEYOND_EQUATOR],
    straight: 2,
  };
}

/** The plane of a name. */
export function planeNamed(name: PlaneName): DisplayPlane {
  if (name === 'mercator') return MERCATOR;
  if (name === 'world') return WORLD;
  const [pole, meridian] = name.split(' ');
  return polar(pole === 'north' ? 1 : -1, Number(meridian));
}

/** Whether a text is the name of a plane: the meridians of polar ones are whole tens. */
export const isPlaneName = (text: string): text is PlaneName => /^(mercator|world|(north|south) -?(0|[1-9]0|1[0-8]0))$/.test(text);
