import {
  formOfExpr,
  fromMercator,
  geodesicAzimuth,
  geodesicPoint,
  isSpaceForm,
  LENGTH_UNITS,
  measureOfGeometry,
  nodesIn,
  reachOf,
  Shape,
  solidOf,
  toMercator,
  type AreaShape,
  type AreaShapes,
  type ColumnSchema,
  type Form,
  type Group,
  type Place,
} from '@clean-sieve/core';
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
import DragBox from 'ol/interaction/DragBox.js';
import DragPan from 'ol/interaction/DragPan.js';
import Draw, { createBox } from 'ol/interaction/Draw.js';
import type Map from 'ol/Map.js';
import type VectorSource from 'ol/source/Vector.js';
import { sizeInWords } from '../areas/size.ts';
import { circleRing, mapDistance } from './circle.ts';

export type AreaTool = 'polygon' | 'lasso' | 'rectangle' | 'circle' | 'line' | 'hole';

/** Metres round a drawn line to begin with: a carriageway and its verges. */
const LINE_REACH = 20;

/** Digits that keep a centimetre. */
const DIGITS = 7;

export function lonLatOf([x, y]: Coordinate): Position {
  return fromMercator(x, y).map((value) => Number(value.toFixed(DIGITS)));
}

const CORNERS =
  'Click the corners, or type a length and Enter · double-click or Enter closes · Backspace takes the last one back · Esc stops';
export const AREA_HELP: Record<AreaTool, string> = {
  polygon: CORNERS,
  lasso: 'Draw round it with the button held down · Esc stops',
  rectangle: 'Drag from corner to corner, or click the two · Esc stops',
  circle: 'Click the middle, then the rim, or type a radius and Enter · Esc stops',
  line: 'Click along the line, or type a length and Enter · double-click or Enter ends it · Backspace takes the last point back · Esc stops',
  hole: `${CORNERS} · the hole is cut out of the area`,
};

/** What a drawing tool has in hand. */
export interface Drawing {
  interaction: Draw;
  /** Sets the next corner, or the rim, so many metres from the last one towards the pointer. */
  reach: (metres: number, pointer: Coordinate) => void;
  /** Takes the tool off the map. */
  stop: () => void;
}

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
): Drawing {
  let middle: Coordinate = [0, 0];
  let metres = 0;
  const draw = new Draw({
    source: scratch,
    type: tool === 'line' ? 'LineString' : tool === 'circle' || tool === 'rectangle' ? 'Circle' : 'Polygon',
    freehand: tool === 'lasso',
    geometryFunction:
      tool === 'rectangle'
        ? createBox()
        : tool === 'circle'
          ? (coordinates, geometry) => {
              const [centre, rim] = coordinates as Coordinate[];
              middle = centre;
              metres = mapDistance(centre, rim);
              measure(lengthInWords(metres));
              const [lon, lat] = fromMercator(centre[0], centre[1]);
              const ring = [metres > 0 ? circleRing(lon, lat, metres) : [centre, centre, centre]];
              if (!geometry) return new Polygon(ring);
              geometry.setCoordinates(ring);
              return geometry;
            }
          : undefined,
  });
  let sketch: OlGeometry | null = null;
  draw.on('drawstart', ({ feature }) => {
    sketch = feature.getGeometry()!;
    if (tool !== 'circle') sketch.on('change', () => measure(sizeOfSketch(sketch!)));
  });
  const circle = () =>
    done({
      kind: 'radius',
      centre: lonLatOf(middle),
      distance: metres < 100 ? Number(metres.toFixed(1)) : Math.round(metres),
      unit: 'm',
      plane: false,
      outside: false,
      blanks: false,
    });
  draw.on('drawend', ({ feature }) => {
    setTimeout(() => scratch.clear());
    if (tool === 'circle') {
      if (metres > 0) circle();
      return;
    }
    if (tool === 'line') {
      const coordinates = (feature.getGeometry() as LineString).getCoordinates().map(lonLatOf);
      const geometry = { type: 'LineString' as const, coordinates };
      if (coordinates.length >= 2)
        done({ kind: 'near', geometry, distance: LINE_REACH, unit: 'm', plane: false, outside: false, blanks: false });
      return;
    }
    polygon(feature.getGeometry() as Polygon);
  });
  const polygon = (drawn: Polygon) => {
    const ring = closed(drawn.getCoordinates()[0].map(lonLatOf));
    if (ring.length >= 4)
      done({
        kind: 'area',
        relation: 's_intersects',
        geometry: { type: 'Polygon', coordinates: [ring] },
        outside: false,
        blanks: false,
      });
  };
  map.addInteraction(draw);
  const undrag = tool === 'rectangle' ? draggedBox(map, polygon, measure) : () => undefined;
  return {
    interaction: draw,
    stop() {
      undrag();
      map.removeInteraction(draw);
    },
    reach(length, pointer) {
      if (tool === 'circle') {
        if (!sketch) return;
        metres = length;
        circle();
        return;
      }
      const last = sketch && lastCorner(sketch);
      if (!last || tool === 'rectangle' || tool === 'lasso') return;
      const [from, to] = [last, pointer].map(([x, y]) => fromMercator(x, y));
      const [lon, lat] = geodesicPoint(from[0], from[1], geodesicAzimuth(from[0], from[1], to[0], to[1]), length);
      draw.appendCoordinates([toMercator(lon, lat)]);
    },
  };
}

/**
 * A rectangle from corner to corner with the button held down, beside the clicks of a drawing: the map stays meanwhile.
 * @returns what takes it off again
 */
function draggedBox(map: Map, done: (box: Polygon) => void, measure: (text: string) => void): () => void {
  const drag = new DragBox({ className: 'drawn-box' });
  // What was no drag is a click, for the drawing.
  drag.stopDown = () => false;
  drag.on('boxdrag', () => measure(sizeOfSketch(drag.getGeometry())));
  drag.on('boxend', () => done(drag.getGeometry()));
  const pans = map
    .getInteractions()
    .getArray()
    .filter((one) => one instanceof DragPan);
  for (const pan of pans) pan.setActive(false);
  map.addInteraction(drag);
  return () => {
    map.removeInteraction(drag);
    for (const pan of pans) pan.setActive(true);
  };
}

/** The corner set last; the one after it follows the pointer. */
function lastCorner(sketch: OlGeometry): Coordinate | null {
  const corners = sketch instanceof Polygon ? sketch.getCoordinates()[0] : (sketch as LineString).getCoordinates();
  // Of a polygon the ring is closed behind the pointer once it has three corners.
  const own = sketch instanceof Polygon && corners.length > 2 ? corners.slice(0, -1) : corners;
  return own.length > 1 ? own[own.length - 2] : (own[0] ?? null);
}

function sizeOfSketch(sketch: OlGeometry): string {
  const geometry = movedGeometry(sketch);
  if (geometry.type === 'LineString') return geometry.coordinates.length > 1 ? lengthInWords(measureOfGeometry(geometry).length) : '';
  if (geometry.type !== 'Polygon') return '';
  const ring = geometry.coordinates[0];
  const side = ring.length > 2 ? ring.slice(-3, -1) : ring;
  const last = side.length === 2 ? `side ${lengthInWords(measureOfGeometry({ type: 'LineString', coordinates: side }).length)}` : '';
  return ring.length < 4 ? last : `${sizeInWords(geometry)}${last && ` · ${last}`}`;
}

function lengthInWords(metres: number): string {
  return metres < 10_000 ? `${metres < 100 ? metres.toFixed(1) : Math.round(metres)} m` : `${(metres / 1000).toFixed(1)} km`;
}

/** A polygon with another ring cut out of it; null when the ring does not lie within one of its parts. */
export function withHole(geometry: Geometry, hole: Position[]): Geometry | null {
  const inside = (rings: Position[][]) => {
    const shape = new Shape({ type: 'Polygon', coordinates: rings });
    const edges = hole.slice(1).some(([x, y], i) => shape.meetsSegment(hole[i][0], hole[i][1], x, y));
    return !edges && hole.every(([x, y]) => shape.covers(x, y));
  };
  if (geometry.type === 'Polygon')
    return inside(geometry.coordinates) ? { ...geometry, coordinates: [...geometry.coordinates, hole] } : null;
  if (geometry.type !== 'MultiPolygon') return null;
  const at = geometry.coordinates.findIndex(inside);
  if (at < 0) return null;
  return { ...geometry, coordinates: geometry.coordinates.map((rings, i) => (i === at ? [...rings, hole] : rings)) };
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
  if (!isSpaceForm(form)) return null;
  if (form.kind === 'radius') {
    const metres = form.distance * LENGTH_UNITS[form.unit];
    return metres > 0 ? new Feature(ringOnMap(form.centre, metres)) : null;
  }
  const drawn = shapesOfPlace(form.geometry, shapes).map(shapeOnMap);
  return drawn.length === 0 ? null : new Feature(drawn.length === 1 ? drawn[0] : new OlGeometryCollection(drawn));
}

/** A condition in space, as the map shows it. */
export interface PlacedCondition {
  id: string;
  form: Form;
  off: boolean;
}

export function placedConditions(tree: Group, columns: readonly ColumnSchema[]): PlacedCondition[] {
  return [...nodesIn(tree)].flatMap(({ node }) => {
    if (node.kind !== 'condition') return [];
    const form = formOfExpr(node.expr, columns);
    return isSpaceForm(form) ? [{ id: node.id, form, off: node.off === true }] : [];
  });
}

/** The shapes of a place; none for the features of a source or sieve, which the map shows anyway. */
function shapesOfPlace(place: Place, shapes: AreaShapes): AreaShape[] {
  if (!('op' in place) || place.op === 'BUFFER') return [place];
  if (place.op === 'ANY_OF' || place.op === 'ALL_OF') return place.args.flatMap((one) => shapesOfPlace(one, shapes));
  const shape = place.op === 'AREA' ? shapes.get(place.args[0]) : undefined;
  return shape ? [shape] : [];
}

/** Whether a condition's shape has no corners to take hold of. */
export function isRound(form: Form, shapes: AreaShapes): boolean {
  if (!isSpaceForm(form) || form.kind === 'radius') return true;
  const solid = solidOf(form.geometry, shapes);
  return !solid || solid.reach > 0;
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
  return Array.from({ length: flatCoordinates.length / stride }, (_, i) => [flatCoordinates[i * stride], flatCoordinates[i * stride + 1]]);
}
