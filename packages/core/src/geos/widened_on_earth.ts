import type { Geometry, MultiPolygon, Polygon, Position } from 'geojson';
import proj4 from 'proj4';
import { convertGeometry, OutsideCrsError } from '../crs/convert.ts';
import { fromLonLat, isGeographic, metresPerUnit, toLonLat, type Crs, type Transform } from '../crs/crs.ts';
import { earthCentred, geodesicAzimuth, geodesicDistance, geodesicPoint, LEAST_CURVATURE_RADIUS } from '../space/geodesic.ts';
import { Shape } from '../space/shape.ts';
import type { Geos } from './geos.ts';

/** Everything within a distance, wherever on the earth, in a plane that has the poles and the 180° meridian inside. */
export interface OnEarth {
  polygons: (Polygon | MultiPolygon)[];
  toLonLat: Transform;
  /** How far at most its edge lies from the true one, in metres, in the plane and again where it is placed elsewhere. */
  error: number;
  /** How far the edges may be from those of the plane where they are placed elsewhere, in metres. */
  tolerance: number;
}

/** Segments of a quarter of a round corner. */
const QUARTER = 90;
/** Pieces of edges lie this part of the distance, at most, from where the edge is, and are not longer than so many metres. */
const [PART, LONGEST] = [2e-5, 20_000];
const DEEPEST = 40;
/** The plane has no room for what lies farther than this from its middle, in metres: seven tenths of a half circle. */
const FARTHEST = 14_000_000;

/**
 * Everything within a distance of a geometry: what it covers, and round every piece of an edge, which is as good as a geodesic,
 * a strip whose corners are by geodesics, joined in Lambert's azimuthal equal-area projection about the middle (J. P. Snyder,
 * Map projections: a working manual, USGS Professional Paper 1395, 1987, chapter 24).
 * @param geometry in `crs`, in which its edges are straight
 * Throws an OutsideCrsError for what spans most of the earth.
 */
export function widenedOnEarth(geometry: Geometry, crs: Crs, metres: number, geos: Geos): OnEarth {
  const toEarth = toLonLat(crs);
  const tolerance = Math.max(1e-2, PART * metres);
  const lines = linesOf(geometry, toEarth, tolerance);
  const [lon, lat] = middleOf(geometry, lines, crs);
  for (const { positions } of lines)
    for (const [x, y] of positions)
      if (geodesicDistance(lon, lat, x, y) + metres > FARTHEST) throw new OutsideCrsError('a shape widened so far spans most of the earth');
  const plane = proj4('EPSG:4326', `+proj=laea +lat_0=${lat} +lon_0=${lon} +x_0=0 +y_0=0 +datum=WGS84 +units=m +no_defs`);
  const onto = ([x, y]: Position): Position => plane.forward<[number, number]>([x, y]);
  const strips = lines.flatMap((line) => stripsOf(line, metres)).map((ring) => ring.map(onto));
  const areas = polygonsOf(geometry).map((rings): Geometry => ({
    type: 'Polygon',
    coordinates: rings.map((ring) => closed(lineOnEarth(ring, toEarth, tolerance).positions.map(onto))),
  }));
  const valid = areas.map((area) => (geos.invalidity(area) ? geos.madeValid(area) : area));
  const whole = geos.union([...valid, ...strips.map((ring): Geometry => ({ type: 'Polygon', coordinates: [ring] }))]);
  const error =
    metres * (1 - Math.cos(Math.PI / (4 * QUARTER)) + PART) + (LONGEST ** 2 * metres) / (8 * LEAST_CURVATURE_RADIUS ** 2) + 2 * tolerance;
  const poles = [90, -90].filter((pole) => {
    const [x, y] = onto([0, pole]);
    return Number.isFinite(x) && Number.isFinite(y) && new Shape(whole).covers(x, y);
  });
  if (poles.length === 2) throw new OutsideCrsError('a shape widened so far holds both poles, and spans most of the earth');
  return { polygons: areaParts(whole), tolerance, toLonLat: (x, y) => plane.inverse<[number, number]>([x, y]), error };
}

/** In another system; in longitude and latitude cut at the 180° meridian (RFC 7946, 3.1.9), with the poles inside. */
export function placedIn({ polygons, toLonLat: out, tolerance: metres }: OnEarth, crs: Crs, geos: Geos): Geometry {
  if (isGeographic(crs)) {
    const back = fromLonLat(crs);
    return convertGeometry(inLonLat(polygons, out, metres, geos), back, Infinity);
  }
  const back = fromLonLat(crs);
  const tolerance = metres / metresPerUnit(crs);
  const placed = polygons.map((polygon) => convertGeometry(polygon, (x, y) => back(...out(x, y)), tolerance));
  // Where the system is cut along a meridian, as web maps are, it is cut there too.
  if (placed.every((shape, i) => isContinuous(shape, polygons[i], metresPerUnit(crs)))) return joined(placed);
  return convertGeometry(inLonLat(polygons, out, metres, geos), back, tolerance);
}

function joined(shapes: Geometry[]): Geometry {
  const coordinates = shapes.flatMap((shape) => polygonsOf(shape));
  return coordinates.length === 1 ? { type: 'Polygon', coordinates: coordinates[0] } : { type: 'MultiPolygon', coordinates };
}

/** Whether no edge runs right across a map: edges are cut until they are nearly straight, so that none is long. */
function isContinuous(shape: Geometry, before: Geometry, metres: number): boolean {
  const longest = (rings: Position[][]) =>
    Math.max(...rings.flatMap((ring) => ring.slice(1).map(([x, y], i) => Math.hypot(x - ring[i][0], y - ring[i][1]))));
  return polygonsOf(shape).every((rings, i) => longest(rings) * metres < 20 * longest(polygonsOf(before)[i]));
}

interface Line {
  /** In longitude and latitude, near enough together. */
  positions: Position[];
  /** Which of them are corners of the line, rather than on the way between two. */
  corners: Set<number>;
}

/** The points and edges of a shape as positions that are near enough together. */
function linesOf(geometry: Geometry, toEarth: Transform, tolerance: number): Line[] {
  const line = (positions: Position[]): Line => lineOnEarth(positions, toEarth, tolerance);
  switch (geometry.type) {
    case 'Point':
      return geometry.coordinates.length === 0 ? [] : [line([geometry.coordinates])];
    case 'MultiPoint':
      return geometry.coordinates.map((position) => line([position]));
    case 'LineString':
      return [line(geometry.coordinates)];
    case 'MultiLineString':
    case 'Polygon':
      return geometry.coordinates.map(line);
    case 'MultiPolygon':
      return geometry.coordinates.flat().map(line);
    case 'GeometryCollection':
      return geometry.geometries.flatMap((member) => linesOf(member, toEarth, tolerance));
  }
}

/** The positions that a line goes through: between two of them it is as good as a geodesic. */
function lineOnEarth(line: Position[], toEarth: Transform, tolerance: number): Line {
  const at = (x: number, y: number): Position => {
    const [lon, lat] = toEarth(x, y);
    if (!Number.isFinite(lon) || !(Math.abs(lat) <= 90))
      throw new OutsideCrsError(`${x} ${y} lies outside the area of the coordinate system`);
    return [lon, lat];
  };
  const found = [at(line[0][0], line[0][1])];
  const corners = new Set([0]);
  for (let i = 1; i < line.length; i++) {
    const [[x1, y1], [x2, y2]] = [line[i - 1], line[i]];
    const along = (t: number) => at(x1 + t * (x2 - x1), y1 + t * (y2 - y1));
    const cut = (from: number, to: number, a: Position, b: Position, depth: number): void => {
      const places = [0.25, 0.5, 0.75].map((part) => along(from + part * (to - from)));
      if (depth === 0 || places.every((place, q) => isNearChord(a, b, (q + 1) / 4, place, tolerance))) {
        found.push(b);
        return;
      }
      const middle = (from + to) / 2;
      cut(from, middle, a, places[1], depth - 1);
      cut(middle, to, places[1], b, depth - 1);
    };
    cut(0, 1, along(0), along(1), DEEPEST);
    corners.add(found.length - 1);
  }
  return { positions: found, corners };
}

/** Whether a place lies beside the geodesic between two others that are not far apart, at a part of its way. */
function isNearChord(a: Position, b: Position, t: number, place: Position, tolerance: number): boolean {
  const [p, q, r] = [a, b, place].map(([lon, lat]) => earthCentred(lon, lat));
  if (Math.hypot(...p.map((value, i) => q[i] - value)) > LONGEST) return false;
  const off = r.map((value, i) => value - p[i] - t * (q[i] - p[i]));
  const size = Math.hypot(...r);
  // Below the ground a chord is nothing to the side; along it a place may lie before or behind.
  const down = off.reduce((sum, value, i) => sum + (value * r[i]) / size, 0);
  return Math.hypot(...off.map((value, i) => value - (down * r[i]) / size)) <= tolerance;
}

/**
 * A place that the shape lies about: the middle of its edges, or the place opposite on the earth where the shape holds that one,
 * as a shape does whose edges lie beyond the equator. What is opposite to the middle lies outside of the shape.
 */
function middleOf(geometry: Geometry, lines: readonly Line[], crs: Crs): Position {
  const middle = middleOfPositions(lines.flatMap(({ positions }) => positions));
  const polygons = polygonsOf(geometry).map((coordinates) => new Shape({ type: 'Polygon', coordinates }));
  const isInside = ([lon, lat]: Position): boolean => {
    const [x, y] = fromLonLat(crs)(lon, lat);
    if (!Number.isFinite(x) || !Number.isFinite(y)) return false;
    // Far from where a system is for, it can put a place where another one is.
    const [lonBack, latBack] = toLonLat(crs)(x, y);
    const isBack = Number.isFinite(latBack) && geodesicDistance(lon, lat, lonBack, latBack) < 1;
    return isBack && polygons.some((polygon) => polygon.covers(x, y));
  };
  const opposite = oppositeOf(middle);
  if (!isInside(opposite)) return middle;
  if (isInside(middle)) throw new OutsideCrsError('the shape spans most of the earth');
  return opposite;
}

const oppositeOf = ([lon, lat]: Position): Position => [lon > 0 ? lon - 180 : lon + 180, -lat];

/** The middle of positions in space, brought to the ground. */
function middleOfPositions(positions: Position[]): Position {
  const sum = [0, 0, 0];
  for (const [lon, lat] of positions) earthCentred(lon, lat).forEach((value, i) => (sum[i] += value));
  const degree = Math.PI / 180;
  const flat = Math.hypot(sum[0], sum[1]);
  return [flat < 1e-6 * positions.length ? 0 : Math.atan2(sum[1], sum[0]) / degree, Math.atan2(sum[2], flat) / degree];
}

/** Everything within a distance of each piece of a line, as rings. Where the line goes on nearly straight, few corners do. */
function stripsOf({ positions, corners }: Line, metres: number): Position[][] {
  if (positions.length === 1) return [stripOf(positions[0], positions[0], metres, QUARTER, QUARTER)];
  const roundness = (i: number) => (corners.has(i) ? QUARTER : QUARTER / 15);
  return positions.slice(1).map((end, i) => stripOf(positions[i], end, metres, roundness(i), roundness(i + 1)));
}

/** Everything within a distance of a piece: half a circle about either end, of so many segments a quarter. */
function stripOf(from: Position, to: Position, metres: number, atStart: number, atEnd: number): Position[] {
  const [[lon1, lat1], [lon2, lat2]] = [from, to];
  const isPoint = lon1 === lon2 && lat1 === lat2;
  const there = isPoint ? 0 : geodesicAzimuth(lon1, lat1, lon2, lat2);
  const back = isPoint ? 180 : geodesicAzimuth(lon2, lat2, lon1, lat1);
  const half = ([lon, lat]: Position, first: number, quarter: number) =>
    Array.from({ length: 2 * quarter + 1 }, (_, i): Position => geodesicPoint(lon, lat, first - (90 * i) / quarter, metres));
  const ring = [...half(to, back - 90, atEnd), ...half(from, there - 90, atStart)];
  return [...ring, ring[0]];
}

function closed(ring: Position[]): Position[] {
  const [first, last] = [ring[0], ring[ring.length - 1]];
  return first[0] === last[0] && first[1] === last[1] ? ring : [...ring, first];
}

function polygonsOf(geometry: Geometry): Position[][][] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(polygonsOf);
  if (geometry.type === 'Polygon') return geometry.coordinates.length > 0 ? [geometry.coordinates] : [];
  return geometry.type === 'MultiPolygon' ? geometry.coordinates : [];
}

const areaParts = (geometry: Geometry): Polygon[] => polygonsOf(geometry).map((coordinates) => ({ type: 'Polygon', coordinates }));

/** Polygons of the plane in longitude and latitude. */
function inLonLat(polygons: (Polygon | MultiPolygon)[], out: Transform, tolerance: number, geos: Geos): Geometry {
  const parts = polygons.flatMap(polygonsOf).map(([shell, ...holes]) => {
    const outer = ringInLonLat(shell, out, tolerance, geos);
    return holes.reduce((rest, hole) => geos.difference(rest, ringInLonLat(hole, out, tolerance, geos)), outer);
  });
  return joined(parts);
}

const WORLD: Geometry = {
  type: 'Polygon',
  coordinates: [
    [
      [-180, -90],
      [180, -90],
      [180, 90],
      [-180, 90],
      [-180, -90],
    ],
  ],
};

/** What a ring of the plane encloses, in longitude and latitude between −180 and 180. */
function ringInLonLat(ring: Position[], out: Transform, tolerance: number, geos: Geos): Geometry {
  const found: Position[] = [];
  const add = ([lon, lat]: Position) => {
    const before = found[found.length - 1];
    found.push([before ? lon + 360 * Math.round((before[0] - lon) / 360) : lon, lat]);
  };
  for (let i = 0; i < ring.length - 1; i++) {
    add(out(ring[i][0], ring[i][1]));
    addBetween(ring[i], ring[i + 1], out, tolerance, add);
  }
  add(out(ring[0][0], ring[0][1]));
  const turns = Math.round((found[found.length - 1][0] - found[0][0]) / 360);
  if (turns !== 0) {
    // It runs round a pole: eastwards with its inside to the left, that is the north pole. From the place nearest to it the way
    // there crosses no edge.
    const pole = turns > 0 === isCounterClockwise(ring) ? 90 : -90;
    const nearest = found.reduce((best, [, lat], i) => (lat * pole > found[best][1] * pole ? i : best), 0);
    const round = [...found.slice(nearest, -1), ...found.slice(0, nearest + 1).map(([lon, lat]): Position => [lon + 360 * turns, lat])];
    found.splice(0, found.length, ...round, [round[round.length - 1][0], pole], [round[0][0], pole], round[0]);
  } else found[found.length - 1] = found[0];
  const longitudes = found.map(([lon]) => lon);
  const [west, east] = [longitudes.reduce((a, b) => Math.min(a, b)), longitudes.reduce((a, b) => Math.max(a, b))];
  const one: Geometry = { type: 'Polygon', coordinates: [found] };
  if (west >= -180 && east <= 180) return one;
  const copies: Geometry[] = [];
  for (let k = Math.floor((-180 - east) / 360); k <= Math.ceil((180 - west) / 360); k++) {
    if (west + 360 * k >= 180 || east + 360 * k <= -180) continue;
    const moved: Geometry = { type: 'Polygon', coordinates: [found.map(([lon, lat]) => [lon + 360 * k, lat])] };
    copies.push(geos.intersection(moved, WORLD));
  }
  // The copies of a ring round a pole meet where it was opened.
  return geos.union(copies);
}

function isCounterClockwise(ring: Position[]): boolean {
  return ring.slice(1).reduce((sum, [x, y], i) => sum + ring[i][0] * y - x * ring[i][1], 0) > 0;
}

/** Adds positions of an edge that is straight in the plane until it is as good as straight in longitude and latitude. */
function addBetween(a: Position, b: Position, out: Transform, tolerance: number, add: (at: Position) => void): void {
  const along = (t: number) => out(a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]));
  const cut = (from: number, to: number, start: Position, end: Position, depth: number): void => {
    const middle = along((from + to) / 2);
    const turn = Math.round((start[0] - end[0]) / 360) * 360;
    const [p, q] = [earthCentred((start[0] + end[0] + turn) / 2, (start[1] + end[1]) / 2), earthCentred(middle[0], middle[1])];
    if (depth === 0 || Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]) <= tolerance) return;
    cut(from, (from + to) / 2, start, middle, depth - 1);
    add(middle);
    cut((from + to) / 2, to, middle, end, depth - 1);
  };
  cut(0, 1, along(0), along(1), DEEPEST);
}
