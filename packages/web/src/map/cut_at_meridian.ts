import { geoEquirectangular, geoStream, type GeoPermissibleObjects } from 'd3';
import type { MultiLineString, MultiPolygon, Polygon, Position } from 'geojson';

/** Land cut where it crosses the 180° meridian: what is filled, and its coast without the cuts. */
export interface CutLand {
  fill: MultiPolygon;
  coast: MultiLineString;
}

/** Latitude, in degrees, beyond which a map in web Mercator has no room. */
const FARTHEST = 85.06;

/** Land as polygons that lie on one side of the 180° meridian, whose edges are coast all round, and what has to be cut there. */
export interface PartedLand {
  whole: Position[][][];
  cut: CutLand;
}

/** Of shapes on the sphere only those are cut that come to the 180° meridian: that is most of the work. */
export function partedLand(shapes: readonly (Polygon | MultiPolygon)[]): PartedLand {
  const polygons = shapes.flatMap((one) => (one.type === 'Polygon' ? [one.coordinates] : one.coordinates));
  const [whole, others]: [Position[][][], Position[][][]] = [[], []];
  for (const rings of polygons) (comesToMeridian(rings[0]) ? others : whole).push(rings);
  return {
    whole: whole.map((rings) => rings.map((ring) => ring.map(([x, y]) => [rounded(x), withinMap(y)]))),
    cut: cutAtMeridian({ type: 'MultiPolygon', coordinates: others }),
  };
}

/** Half of the earth round is no edge of land: one so long goes the other way. */
const comesToMeridian = (ring: Position[]): boolean =>
  ring.some(([x], i) => Math.abs(x) >= 179.999 || Math.abs(x - ring[Math.max(0, i - 1)][0]) > 180);

/**
 * Cuts shapes on the sphere at the 180° meridian, which straight lines in longitude and latitude would run right across the
 * map to the other side of. Rings of the sphere have their inside at the right of their way as d3 has it.
 */
export function cutAtMeridian(land: GeoPermissibleObjects): CutLand {
  const plane = geoEquirectangular()
    .scale(180 / Math.PI)
    .translate([0, 0])
    .precision(0);
  const fill: MultiPolygon = { type: 'MultiPolygon', coordinates: [] };
  const coast: MultiLineString = { type: 'MultiLineString', coordinates: [] };
  let rings: Position[][] = [];
  let ring: Position[] = [];
  geoStream(
    land,
    plane.stream({
      polygonStart: () => (rings = []),
      polygonEnd: () => fill.coordinates.push(...polygonsOf(rings)),
      lineStart: () => (ring = []),
      lineEnd() {
        if (ring.length < 3) return;
        ring.push(ring[0]);
        rings.push(ring);
        coast.coordinates.push(...coastOf(ring));
      },
      point: (x, y) => ring.push([rounded(x), withinMap(-y)]),
    }),
  );
  return { fill, coast };
}

const rounded = (degrees: number) => Math.round(degrees * 1e7) / 1e7;
const withinMap = (latitude: number) => Math.max(-FARTHEST, Math.min(FARTHEST, rounded(latitude)));

/** Rings as polygons: those that run the way of most are shells, the others holes of the shell around them. */
export function polygonsOf(rings: Position[][]): Position[][][] {
  const shells = rings.filter((ring) => areaOf(ring) < 0).map((ring) => [ring]);
  for (const hole of rings.filter((ring) => areaOf(ring) >= 0)) shells.find(([shell]) => isInside(hole[0], shell))?.push(hole);
  return shells;
}

/** Twice the area, negative where a ring runs clockwise on a map with north at the top. */
function areaOf(ring: Position[]): number {
  return ring.reduce((sum, [x, y], i) => {
    const [nextX, nextY] = ring[(i + 1) % ring.length];
    return sum + x * nextY - nextX * y;
  }, 0);
}

function isInside([x, y]: Position, ring: Position[]): boolean {
  let inside = false;
  for (let i = 1; i < ring.length; i++) {
    const [[x1, y1], [x2, y2]] = [ring[i - 1], ring[i]];
    if (y1 > y !== y2 > y && x < x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)) inside = !inside;
  }
  return inside;
}

/** The runs of a ring that are no cut: not along the meridian, nor along the edge of the map. */
function coastOf(ring: Position[]): Position[][] {
  const isCut = (a: Position, b: Position) => (a[0] === b[0] && Math.abs(a[0]) === 180) || (a[1] === b[1] && Math.abs(a[1]) === FARTHEST);
  const lines: Position[][] = [];
  let line: Position[] = [];
  const end = () => {
    if (line.length > 1) lines.push(line);
    line = [];
  };
  for (let i = 1; i < ring.length; i++) {
    if (isCut(ring[i - 1], ring[i])) end();
    else line.push(...(line.length === 0 ? [ring[i - 1], ring[i]] : [ring[i]]));
  }
  end();
  return lines;
}
