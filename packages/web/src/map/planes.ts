import { PLANE_HALF, planeNamed, type DisplayPlane, type PlaneName } from '@clean-sieve/core';
import { geoAzimuthalEqualArea, geoEqualEarth, geoStream, type GeoPermissibleObjects, type GeoProjection } from 'd3';
import type { Geometry, MultiLineString, MultiPolygon, Position } from 'geojson';
import GeoJSON from 'ol/format/GeoJSON.js';
import type OlGeometry from 'ol/geom/Geometry.js';
import Projection from 'ol/proj/Projection.js';
import { addCoordinateTransforms, addProjection, get as projectionNamed } from 'ol/proj.js';
import { polygonsOf } from './cut_at_meridian.ts';
import type { Box } from './on_map.ts';

const RADIUS = 6_378_137;
const CODE = 'clean-sieve ';

/** A plane as the map library knows it. */
export function projectionOf(name: PlaneName): Projection {
  if (name === 'mercator') return projectionNamed('EPSG:3857')!;
  const known = projectionNamed(CODE + name);
  if (known) return known;
  const { forward, inverse } = planeNamed(name);
  const projection = new Projection({
    code: CODE + name,
    units: 'm',
    extent: [-PLANE_HALF, -PLANE_HALF, PLANE_HALF, PLANE_HALF],
    worldExtent: [-180, -90, 180, 90],
    global: false,
  });
  addProjection(projection);
  const back = ([x, y]: number[]) => inverse(x, y) ?? [NaN, NaN];
  addCoordinateTransforms('EPSG:4326', projection, ([lon, lat]) => forward(lon, lat), back);
  return projection;
}

/** The plane of a projection of the map. */
export function planeOf(projection: Projection): PlaneName {
  const code = projection.getCode();
  return code.startsWith(CODE) ? (code.slice(CODE.length) as PlaneName) : 'mercator';
}

/** Positions along each side of a box, by which what it takes up on a plane is told. */
const SAMPLES = 24;

/** What a box of longitudes and latitudes takes up on a plane. */
export function boxOnPlane([west, south, east, north]: Box, name: PlaneName): Box {
  const { forward, latitudes } = planeNamed(name);
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i <= SAMPLES; i++)
    for (let j = 0; j <= SAMPLES; j++) {
      const lat = Math.max(latitudes[0], Math.min(latitudes[1], south + ((north - south) * j) / SAMPLES));
      const [x, y] = forward(west + ((east - west) * i) / SAMPLES, lat);
      [box[0], box[1], box[2], box[3]] = [Math.min(box[0], x), Math.min(box[1], y), Math.max(box[2], x), Math.max(box[3], y)];
    }
  return box;
}

const geojson = new GeoJSON();

/** A shape of the web Mercator plane, whose edges are straight in longitude and latitude, on another plane. */
export function onOtherPlane(shape: OlGeometry, name: PlaneName): OlGeometry {
  if (name === 'mercator') return shape;
  const lonLat = geojson.writeGeometryObject(shape, { dataProjection: 'EPSG:4326', featureProjection: 'EPSG:3857' });
  return geojson.readGeometry(bent(lonLat, planeNamed(name)))!;
}

function bent(shape: Geometry, plane: DisplayPlane): Geometry {
  const place = ([lon, lat]: Position): Position => plane.forward(lon, lat);
  const line = (positions: Position[]) =>
    positions.flatMap((to, i) => {
      const from = positions[i - 1] ?? to;
      const pieces = Math.max(1, Math.ceil(Math.max(Math.abs(to[0] - from[0]), Math.abs(to[1] - from[1])) / plane.straight));
      return Array.from({ length: pieces }, (_, piece) => place(from.map((at, axis) => at + ((to[axis] - at) * (piece + 1)) / pieces)));
    });
  switch (shape.type) {
    case 'Point':
      return { ...shape, coordinates: place(shape.coordinates) };
    case 'MultiPoint':
      return { ...shape, coordinates: shape.coordinates.map(place) };
    case 'LineString':
      return { ...shape, coordinates: line(shape.coordinates) };
    case 'MultiLineString':
      return { ...shape, coordinates: shape.coordinates.map(line) };
    case 'Polygon':
      return { ...shape, coordinates: shape.coordinates.map(line) };
    case 'MultiPolygon':
      return { ...shape, coordinates: shape.coordinates.map((rings) => rings.map(line)) };
    case 'GeometryCollection':
      return { ...shape, geometries: shape.geometries.map((one) => bent(one, plane)) };
  }
}

/** The same plane by d3, which cuts what it cannot show and bends what is straight on the sphere. */
function onSphere(name: PlaneName): GeoProjection {
  if (name === 'world') return geoEqualEarth().scale(RADIUS).translate([0, 0]).precision(3000);
  const [pole, meridian] = name.split(' ');
  const { latitudes } = planeNamed(name);
  return geoAzimuthalEqualArea()
    .rotate([-Number(meridian), pole === 'north' ? -90 : 90])
    .clipAngle(pole === 'north' ? 90 - latitudes[0] : 90 + latitudes[1])
    .scale(RADIUS)
    .translate([0, 0])
    .precision(3000);
}

/** Polygons and lines of the sphere on a plane other than web Mercator. */
export function drawnOnPlane(shapes: GeoPermissibleObjects, name: PlaneName): { fill: MultiPolygon; lines: MultiLineString } {
  const fill: MultiPolygon = { type: 'MultiPolygon', coordinates: [] };
  const lines: MultiLineString = { type: 'MultiLineString', coordinates: [] };
  let rings: Position[][] | null = null;
  let path: Position[] = [];
  geoStream(
    shapes,
    onSphere(name).stream({
      polygonStart: () => (rings = []),
      polygonEnd() {
        fill.coordinates.push(...polygonsOf(rings ?? []));
        rings = null;
      },
      lineStart: () => (path = []),
      lineEnd() {
        if (!rings) lines.coordinates.push(path);
        else if (path.length > 2) rings.push([...path, path[0]]);
      },
      point: (x, y) => path.push([x, -y]),
      sphere: () => undefined,
    }),
  );
  return { fill, lines };
}

/** All of the earth that a plane shows, for its sea. */
export const earthOn = (name: PlaneName): MultiPolygon => drawnOnPlane({ type: 'Sphere' }, name).fill;
