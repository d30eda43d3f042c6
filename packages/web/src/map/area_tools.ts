import { fromMercator, LENGTH_UNITS, reachOf, type AreaShape, type AreaShapes, type Form } from '@clean-sieve/core';
import type { Geometry, Position } from 'geojson';
import type { Coordinate } from 'ol/coordinate.js';
import Feature from 'ol/Feature.js';
import GeoJSON from 'ol/format/GeoJSON.js';
import {
  GeometryCollection as OlGeometryCollection,
  type LineString,
  Polygon,
  type Geometry as OlGeometry,
  type SimpleGeometry,
} from 'ol/geom.js';
import Draw, { createBox } from 'ol/interaction/Draw.js';
import type Map from 'ol/Map.js';
import type VectorSource from 'ol/source/Vector.js';
import { circleRing, mapDistance } from './circle.ts';

export type AreaTool = 'polygon' | 'rectangle' | 'circle' | 'line';

/** Metres round a drawn line to begin with: a carriageway and its verges. */
const LINE_REACH = 20;

/** Digits that keep a centimetre. */
const DIGITS = 7;

export function lonLatOf([x, y]: Coordinate): Position {
  return fromMercator(x, y).map((value) => Number(value.toFixed(DIGITS)));
}

export const AREA_HELP: Record<AreaTool, string> = {
  polygon: 'Click the corners · double-click or Enter closes · Backspace takes the last one back · Esc stops',
  rectangle: 'Click two opposite corners · Esc stops',
  circle: 'Click the middle, then the rim · Esc stops',
  line: 'Click along the line · double-click or Enter ends it · Backspace takes the last point back · Esc stops',
};

/**
 * Starts drawing on the map.
 * @param done receives the condition that the drawn shape stands for
 * @param measure receives the shape's size in words while it is drawn
 */
export function startDrawing(
  map: Map,
  scratch: VectorSource,
  tool: AreaTool,
  done: (form: Form) => void,
  measure: (text: string) => void,
): Draw {
  let middle: Coordinate = [0, 0];
  let metres = 0;
  const draw = new Draw({
    source: scratch,
    type: tool === 'polygon' ? 'Polygon' : tool === 'line' ? 'LineString' : 'Circle',
    geometryFunction:
      tool === 'rectangle'
        ? createBox()
        : tool === 'circle'
          ? (coordinates, geometry) => {
              const [centre, rim] = coordinates as Coordinate[];
              middle = centre;
              metres = mapDistance(centre, rim);
              measure(
                `${metres < 10_000 ? Math.round(metres) : (metres / 1000).toFixed(1)} ${metres < 10_000 ? 'm' : 'km'}`,
              );
              const [lon, lat] = fromMercator(centre[0], centre[1]);
              const ring = [metres > 0 ? circleRing(lon, lat, metres) : [centre, centre, centre]];
              if (!geometry) return new Polygon(ring);
              geometry.setCoordinates(ring);
              return geometry;
            }
          : undefined,
  });
  draw.on('drawend', ({ feature }) => {
    setTimeout(() => scratch.clear());
    if (tool === 'circle') {
      if (metres > 0)
        done({
          kind: 'radius',
          centre: lonLatOf(middle),
          distance: metres < 100 ? Number(metres.toFixed(1)) : Math.round(metres),
          unit: 'm',
          outside: false,
          blanks: false,
        });
      return;
    }
    if (tool === 'line') {
      const coordinates = (feature.getGeometry() as LineString).getCoordinates().map(lonLatOf);
      const geometry = { type: 'LineString' as const, coordinates };
      if (coordinates.length >= 2) done({ kind: 'near', geometry, distance: LINE_REACH, unit: 'm', outside: false, blanks: false }); // prettier-ignore
      return;
    }
    const ring = closed((feature.getGeometry() as Polygon).getCoordinates()[0].map(lonLatOf));
    if (ring.length >= 4)
      done({
        kind: 'area',
        relation: 'intersects',
        geometry: { type: 'Polygon', coordinates: [ring] },
        outside: false,
        blanks: false,
      });
  });
  map.addInteraction(draw);
  return draw;
}

function closed(ring: Position[]): Position[] {
  const [first, last] = [ring[0], ring[ring.length - 1]];
  return first[0] === last[0] && first[1] === last[1] ? ring : [...ring, first];
}

const geojson = new GeoJSON();
const ON_MAP = { dataProjection: 'EPSG:4326', featureProjection: 'EPSG:3857' };

/** A circle by its middle and reach as a ring for the eye; the filter goes by the distance itself. */
function ringOnMap([lon, lat]: Position, metres: number): Polygon {
  return new Polygon([circleRing(lon, lat, Math.max(metres, 0.001))]);
}

/** An area as something to draw; of what is all within a distance of a line or polygon, that line or polygon. */
export function shapeOnMap(shape: AreaShape): OlGeometry {
  if ('op' in shape && shape.args[0].type === 'Point') return ringOnMap(shape.args[0].coordinates, reachOf(shape));
  return geojson.readGeometry('op' in shape ? shape.args[0] : shape, ON_MAP)!;
}

/** The shape of a condition in space as something to draw; null for other conditions. */
export function shapeOfForm(form: Form, shapes: AreaShapes): Feature | null {
  if (form.kind === 'radius') {
    const metres = form.distance * LENGTH_UNITS[form.unit];
    return metres > 0 ? new Feature(ringOnMap(form.centre, metres)) : null;
  }
  if (form.kind !== 'area' && form.kind !== 'near') return null;
  const shape = 'op' in form.geometry && form.geometry.op === 'AREA' ? shapes.get(form.geometry.args[0]) : (form.geometry); // prettier-ignore
  return shape ? new Feature(shapeOnMap(shape)) : null;
}

/** Whether a condition's shape has no corners to take hold of. */
export function isRound(form: Form, shapes: AreaShapes): boolean {
  if (form.kind !== 'area' && form.kind !== 'near') return true;
  const shape = 'op' in form.geometry && form.geometry.op === 'AREA' ? shapes.get(form.geometry.args[0]) : form.geometry; // prettier-ignore
  return !shape || 'op' in shape;
}

/** A shape whose corners were moved on the map, in longitude and latitude. */
export function movedGeometry(shape: OlGeometry): Geometry {
  return geojson.writeGeometryObject(shape, { ...ON_MAP, decimals: DIGITS });
}

/** Every corner of a shape, to be shown as something to take hold of. */
export function cornersOf(shape: OlGeometry): Coordinate[] {
  if (shape instanceof OlGeometryCollection) return shape.getGeometries().flatMap(cornersOf);
  const flatCoordinates = (shape as SimpleGeometry).getFlatCoordinates();
  const stride = (shape as SimpleGeometry).getStride();
  return Array.from({ length: flatCoordinates.length / stride }, (_, i) => [flatCoordinates[i * stride], flatCoordinates[i * stride + 1]]); // prettier-ignore
}
