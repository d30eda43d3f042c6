import type { Geometry, Position } from 'geojson';
import proj4 from 'proj4';
import { convertGeometry } from '../crs/convert.ts';
import { CRS84, fromLonLat, toLonLat, type Crs } from '../crs/crs.ts';
import { geodesicDistance, LEAST_CURVATURE_RADIUS, nearbyPoint } from '../space/geodesic.ts';
import { Shape } from '../space/shape.ts';
import type { Geos } from './geos.ts';
import { placedIn, widenedOnEarth } from './widened_on_earth.ts';

/** A round shape as a polygon, and how far at most its edge lies from the true one, in metres. */
export interface BufferedShape {
  geometry: Geometry;
  error: number;
}

/** Corners of a circle, and segments of a quarter of a round corner. */
const CORNERS = 720;
const QUARTER = 90;
/** With more edges the library's own widening is used, which simplifies its curves by up to this part of the distance. */
const MOST_EDGES = 2000;
const SIMPLIFIED = 0.01;
/** Within this distance, in metres, a transverse Mercator about the middle is good to 3 · 10⁻⁴; nearer to a pole it is not used. */
const [LOCAL, NEAR_POLE] = [150_000, 85];

/** How far an edge may lie from where it is, in metres; and what of a degree a metre is, at most. */
const toleranceOf = (metres: number) => Math.max(1e-3, 1e-5 * metres);
const DEGREE = 8e-6;

/**
 * Everything within a distance of a geometry as a polygon, for display, for export and where a relation needs corners.
 * A circle has its corners on the geodesic circle, so its edge is at most r·(1 − cos(π / corners)) inside. Other shapes that are
 * small are widened edge by edge in a transverse Mercator projection about their middle, whose scale at D from it is 1 to
 * 1 + D² / (2R²) (J. P. Snyder, Map projections: a working manual, USGS Professional Paper 1395, 1987, chapter 8); large
 * ones, and all round a pole or across the 180° meridian, by geodesics (`widened_on_earth`).
 * @param geometry in the system `from`, in which its edges are straight
 * @param to the system of the result; in longitude and latitude it is cut at the 180° meridian
 */
export function bufferedShape(
  geometry: Geometry,
  metres: number,
  geos: Geos,
  { corners = CORNERS, from = CRS84, to = CRS84 }: { corners?: number; from?: Crs; to?: Crs } = {},
): BufferedShape {
  const small = smallOnEarth(geometry, from, metres);
  if (!small) {
    const widened = widenedOnEarth(geometry, from, metres, geos);
    return { geometry: placedIn(widened, to, geos), error: widened.error };
  }
  const round = small.type === 'Point' ? circle(small.coordinates, metres, corners) : widenedNearby(small, metres, geos);
  return { ...round, geometry: convertGeometry(round.geometry, fromLonLat(to), Infinity) };
}

/** The shape in longitude and latitude where it lies, with what is round it, near its middle and away from poles and ±180°; else null. */
function smallOnEarth(geometry: Geometry, from: Crs, metres: number): Geometry | null {
  const [west, south, east, north] = new Shape(geometry).box;
  const out = toLonLat(from);
  // Its corners tell whether it is small; only then its edges can be taken vertex by vertex.
  const corners = [
    [west, south],
    [west, north],
    [east, south],
    [east, north],
    [(west + east) / 2, (south + north) / 2],
  ].map(([x, y]) => out(x, y));
  const [lon, lat] = corners[4];
  const point = geometry.type === 'Point';
  for (const [x, y] of corners) {
    const reach = geodesicDistance(lon, lat, x, y) + metres;
    // A circle is exact however wide, unless it reaches a pole or ±180°.
    if (!(point || reach <= LOCAL) || !(Math.abs(y) + reach / 110_000 < NEAR_POLE)) return null;
    const aside = reach / (111_000 * Math.cos(((Math.abs(y) + reach / 110_000) * Math.PI) / 180));
    if (Math.abs(lon) + aside >= 180) return null;
  }
  return convertGeometry(geometry, out, toleranceOf(metres) * DEGREE);
}

function circle([lon, lat]: Position, metres: number, corners: number): BufferedShape {
  const ring = Array.from({ length: corners }, (_, i): Position => nearbyPoint(lon, lat, 360 - (360 * i) / corners, metres));
  ring.push(ring[0]);
  return {
    geometry: { type: 'Polygon', coordinates: [ring] },
    error: metres * (1 - Math.cos(Math.PI / corners)) + 1e-4,
  };
}

function widenedNearby(geometry: Geometry, metres: number, geos: Geos): BufferedShape {
  const [west, south, east, north] = new Shape(geometry).box;
  const middle = [(west + east) / 2, (south + north) / 2];
  const local = proj4('EPSG:4326', `+proj=tmerc +k=1 +x_0=0 +y_0=0 +lat_0=${middle[1]} +lon_0=${middle[0]} +datum=WGS84 +units=m`);
  const tolerance = toleranceOf(metres);
  const flat = convertGeometry(geometry, (x, y) => local.forward<[number, number]>([x, y]), tolerance);
  const { edges } = new Shape(flat);
  const exact = edges.length <= 4 * MOST_EDGES;
  const widened = exact ? geos.union([...polygonsOf(flat, geos), ...capsules(edges, metres)]) : geos.buffer(flat, metres, QUARTER);
  const reach =
    metres + Math.max(...[west, east].flatMap((lon) => [south, north].map((lat) => geodesicDistance(middle[0], middle[1], lon, lat))));
  const distortion = reach ** 2 / (2 * LEAST_CURVATURE_RADIUS ** 2);
  return {
    geometry: convertGeometry(widened, (x, y) => local.inverse<[number, number]>([x, y]), tolerance * DEGREE),
    error: metres * (1 - Math.cos(Math.PI / (4 * QUARTER)) + (exact ? 0 : SIMPLIFIED) + distortion) + 3 * tolerance,
  };
}

/** The polygons of a shape, each by what it covers. */
function polygonsOf(geometry: Geometry, geos: Geos): Geometry[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap((member) => polygonsOf(member, geos));
  const polygons = geometry.type === 'Polygon' ? [geometry.coordinates] : geometry.type === 'MultiPolygon' ? geometry.coordinates : [];
  return polygons.map((coordinates) => {
    const polygon: Geometry = { type: 'Polygon', coordinates };
    return geos.invalidity(polygon) ? geos.madeValid(polygon) : polygon;
  });
}

/** Everything within a distance of each edge: two half circles and what lies between them. */
function capsules(edges: Float64Array, distance: number): Geometry[] {
  const shapes: Geometry[] = [];
  for (let e = 0; e < edges.length; e += 4) {
    const [x1, y1, x2, y2] = edges.subarray(e, e + 4);
    const heading = Math.atan2(y2 - y1, x2 - x1);
    const arc = (x: number, y: number, from: number) =>
      Array.from({ length: 2 * QUARTER + 1 }, (_, i): Position => {
        const angle = from + (Math.PI * i) / (2 * QUARTER);
        return [x + distance * Math.cos(angle), y + distance * Math.sin(angle)];
      });
    const ring = [...arc(x2, y2, heading - Math.PI / 2), ...arc(x1, y1, heading + Math.PI / 2)];
    shapes.push({ type: 'Polygon', coordinates: [[...ring, ring[0]]] });
  }
  return shapes;
}
