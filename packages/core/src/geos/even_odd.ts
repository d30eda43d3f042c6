import type { Geometry, Polygon, Position } from 'geojson';
import { Shape } from '../space/shape.ts';
import type { Geos } from './geos.ts';

/**
 * A valid geometry that covers what lies in an odd number of rings, and the rings themselves: where a ring bounds nothing, as a
 * spike or a ring without area, it stays as a line, and one that is a single position as a point. What rings divide the plane
 * into is kept or left out by whether its inside is covered, which is the meaning that S_INTERSECTS has anyway.
 *
 * GEOS' own repair is of another meaning where rings run along one another: of a hole that reaches out of its shell and shares
 * a piece of edge with it, everything becomes covered.
 * @param rings each with four positions or more, closed
 */
export function evenOddCover(rings: Position[][], geos: Geos): Geometry {
  const { lines, faces } = geos.divided({ type: 'MultiLineString', coordinates: rings });
  const shape = new Shape({ type: 'Polygon', coordinates: rings });
  const covered = faces.filter((face) => {
    const inside = geos.pointOnSurface(face);
    return inside.type === 'Point' && shape.covers(inside.coordinates[0], inside.coordinates[1]);
  });
  const area = covered.length > 0 ? geos.union(covered) : null;
  // The lines as they are cut: those given miss the corners where they cross by a rounding.
  const loose = area ? geos.difference(lines, area) : lines;
  const parts = [...(area ? [area] : []), ...(isEmpty(loose) ? [] : [loose])];
  if (parts.length === 0) return { type: 'Point', coordinates: rings[0][0] };
  return parts.length === 1 ? parts[0] : { type: 'GeometryCollection', geometries: parts };
}

/** Rings, shell first, as polygons. */
export const asPolygons = (coordinates: Position[][][]): Polygon[] => coordinates.map((rings) => ({ type: 'Polygon', coordinates: rings }));

const isEmpty = (geometry: Geometry): boolean =>
  geometry.type === 'GeometryCollection' ? geometry.geometries.every(isEmpty) : geometry.coordinates.length === 0;
