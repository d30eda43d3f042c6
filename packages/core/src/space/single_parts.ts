import type { Geometry, LineString, Point, Polygon } from 'geojson';

/** The single points, lines and polygons that a geometry is made of; those without a position are left out. */
export function singleParts(geometry: Geometry): (Point | LineString | Polygon)[] {
  switch (geometry.type) {
    case 'GeometryCollection':
      return geometry.geometries.flatMap(singleParts);
    case 'MultiPolygon':
      return geometry.coordinates.map((coordinates) => ({ type: 'Polygon', coordinates }));
    case 'MultiLineString':
      return geometry.coordinates.map((coordinates) => ({ type: 'LineString', coordinates }));
    case 'MultiPoint':
      return geometry.coordinates.map((coordinates) => ({ type: 'Point', coordinates }));
    default:
      return geometry.coordinates.length > 0 ? [geometry] : [];
  }
}
