import type { Geometry, Position } from 'geojson';
import proj4 from 'proj4';
import { convertGeometry } from '../crs/convert.ts';
import { geodesicDistance, LEAST_CURVATURE_RADIUS, nearbyPoint } from '../space/geodesic.ts';
import { Shape } from '../space/shape.ts';
import type { Geos } from './geos.ts';

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

/**
 * Everything within a distance of a geometry as a polygon, for display, for export and where a relation needs corners.
 * A circle has its corners on the geodesic circle, so its edge is at most r·(1 − cos(π / corners)) inside. Other shapes are
 * widened edge by edge in a transverse Mercator projection about their middle, whose scale at D from it is 1 to
 * 1 + D² / (2R²) (J. P. Snyder, Map projections: a working manual, USGS Professional Paper 1395, 1987, chapter 8).
 * @param geometry in longitude and latitude
 * @param corners of a circle
 */
export function bufferedShape(geometry: Geometry, metres: number, geos: Geos, corners = CORNERS): BufferedShape {
  if (geometry.type === 'Point') {
    const [lon, lat] = geometry.coordinates;
    const ring = Array.from({ length: corners }, (_, i): Position => nearbyPoint(lon, lat, 360 - (360 * i) / corners, metres)); // prettier-ignore
    ring.push(ring[0]);
    return {
      geometry: { type: 'Polygon', coordinates: [ring] },
      error: metres * (1 - Math.cos(Math.PI / corners)) + 1e-4,
    };
  }
  const [west, south, east, north] = new Shape(geometry).box;
  const middle = [(west + east) / 2, (south + north) / 2];
  const local = proj4(
    'EPSG:4326',
    `+proj=tmerc +k=1 +x_0=0 +y_0=0 +lat_0=${middle[1]} +lon_0=${middle[0]} +datum=WGS84 +units=m`,
  );
  const flat = convertGeometry(geometry, (x, y) => local.forward<[number, number]>([x, y]), 1e-3);
  const { edges } = new Shape(flat);
  const exact = edges.length <= 4 * MOST_EDGES;
  const widened = exact ? geos.union([...polygonsOf(flat), ...capsules(edges, metres)]) : geos.buffer(flat, metres, QUARTER); // prettier-ignore
  const reach = metres + Math.max(...[west, east].flatMap((lon) => [south, north].map((lat) => geodesicDistance(middle[0], middle[1], lon, lat)))); // prettier-ignore
  const distortion = reach ** 2 / (2 * LEAST_CURVATURE_RADIUS ** 2);
  return {
    geometry: convertGeometry(widened, (x, y) => local.inverse<[number, number]>([x, y]), 1e-8),
    error: metres * (1 - Math.cos(Math.PI / (4 * QUARTER)) + (exact ? 0 : SIMPLIFIED) + distortion) + 2e-3,
  };
}

function polygonsOf(geometry: Geometry): Geometry[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(polygonsOf);
  return geometry.type === 'Polygon' || geometry.type === 'MultiPolygon' ? [geometry] : [];
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
