import type { Geometry, Position } from 'geojson';
import { ReadError } from '../read_error.ts';

/** Source: the Shapefile Technical Description of July 1998. Types 1x carry Z and M, 2x carry M. */
const SHAPES: Record<number, string> = {
  0: 'Null',
  1: 'Point',
  3: 'PolyLine',
  5: 'Polygon',
  8: 'MultiPoint',
  31: 'MultiPatch',
};
/** Values below this stand for "no data" in M and Z. */
const NO_DATA = -1e38;

export const SHAPE_FILE_CODE = 9994;

/** The geometry type that the header names. */
export function shapeTypeOf(bytes: Uint8Array): string {
  const view = viewOf(bytes);
  if (bytes.length < 100 || view.getInt32(0) !== SHAPE_FILE_CODE)
    throw new ReadError('This is not a shapefile: its first bytes are not those of a .shp file');
  const code = view.getInt32(32, true);
  const name = SHAPES[code > 20 && code < 30 ? code - 20 : code > 10 && code < 20 ? code - 10 : code];
  if (name === undefined) throw new ReadError(`The shapefile has the unknown shape type ${code}`);
  if (name === 'MultiPatch')
    throw new ReadError('The shapefile holds multipatches (surfaces in space), which are not read here', 'Turn them into polygons first');
  return name;
}

/** Whether the shapes carry M values, which are not read: always in the M types, by their room in the Z types. */
export function hasMeasures(bytes: Uint8Array): boolean {
  const view = viewOf(bytes);
  const code = view.getInt32(32, true);
  if (code > 20 && code < 30) return true;
  if (code < 11 || code > 19) return false;
  // The header's M range is zero, or "no data", where there are none.
  const [low, high] = [view.getFloat64(84, true), view.getFloat64(92, true)];
  return low > NO_DATA && high > NO_DATA && (low !== 0 || high !== 0);
}

/** The shapes in order; null for null shapes. Throws a ReadError that names the record at which the file ends early. */
export function* shapesIn(bytes: Uint8Array): Generator<Geometry | PartsError | null> {
  shapeTypeOf(bytes);
  const view = viewOf(bytes);
  let at = 100;
  for (let record = 1; at + 8 <= bytes.length; record++) {
    const length = view.getInt32(at + 4) * 2;
    const start = at + 8;
    if (length < 4 || start + length > bytes.length)
      throw new ReadError(`The shapefile ends in the middle of record ${record}`, 'It may not have been copied whole');
    yield shapeAt(new DataView(view.buffer, view.byteOffset + start, length), record);
    at = start + length;
  }
}

function viewOf(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

/** A shape whose parts are not those that it has positions for. */
export class PartsError extends Error {}

function shapeAt(view: DataView, record: number): Geometry | PartsError | null {
  try {
    return shapeOf(view);
  } catch (error) {
    if (error instanceof PartsError) return error;
    if (error instanceof RangeError) throw new ReadError(`Record ${record} of the shapefile is shorter than it says`);
    throw error;
  }
}

function shapeOf(view: DataView): Geometry | null {
  const code = view.getInt32(0, true);
  const hasZ = code > 10 && code < 20;
  const xyAt = (at: number): Position => [view.getFloat64(at, true), view.getFloat64(at + 8, true)];
  switch (code % 10) {
    case 0:
      return null;
    case 1: {
      const position = xyAt(4);
      return { type: 'Point', coordinates: hasZ ? withZ(position, view.getFloat64(20, true)) : position };
    }
    case 8: {
      const count = view.getInt32(36, true);
      return { type: 'MultiPoint', coordinates: positionsAt(view, 40, count, hasZ ? 40 + 16 * count + 16 : 0) };
    }
    case 3:
    case 5: {
      const [parts, count] = [view.getInt32(36, true), view.getInt32(40, true)];
      const first = 44 + 4 * parts;
      const all = positionsAt(view, first, count, hasZ ? first + 16 * count + 16 : 0);
      const lines: Position[][] = [];
      for (let p = 0; p < parts; p++) {
        const from = view.getInt32(44 + 4 * p, true);
        const to = p + 1 < parts ? view.getInt32(48 + 4 * p, true) : count;
        if (from < 0 || from > to || to > count)
          throw new PartsError(`part ${p + 1} begins at vertex ${from} of ${count}; taken without geometry`);
        if (to > from) lines.push(all.slice(from, to));
      }
      if (code % 10 === 3)
        return lines.length === 1 ? { type: 'LineString', coordinates: lines[0] } : { type: 'MultiLineString', coordinates: lines };
      const polygons = polygonsOf(lines);
      return polygons.length === 1 ? { type: 'Polygon', coordinates: polygons[0] } : { type: 'MultiPolygon', coordinates: polygons };
    }
    default:
      throw new ReadError(`The shapefile holds a shape of the unknown type ${code}`);
  }
}

function positionsAt(view: DataView, at: number, count: number, zAt: number): Position[] {
  if (count < 0 || at + 16 * count > view.byteLength) throw new RangeError();
  const out: Position[] = [];
  for (let i = 0; i < count; i++) {
    const position = [view.getFloat64(at + 16 * i, true), view.getFloat64(at + 16 * i + 8, true)];
    out.push(zAt > 0 ? withZ(position, view.getFloat64(zAt + 8 * i, true)) : position);
  }
  return out;
}

function withZ(position: Position, z: number): Position {
  return z < NO_DATA || Number.isNaN(z) ? position : [...position, z];
}

/** Rings into polygons: shells run clockwise, holes the other way; a hole belongs to the smallest shell around it. */
function polygonsOf(rings: Position[][]): Position[][][] {
  if (rings.length === 1) return [rings];
  const shells = rings.filter((ring) => signedArea(ring) <= 0).map((ring) => ({ rings: [ring], area: -signedArea(ring) }));
  for (const hole of rings.filter((ring) => signedArea(ring) > 0)) {
    const around = shells.filter(
      (shell) =>
        hole.some((position) => isInside(position, shell.rings[0]) === true) ||
        hole.every((position) => isInside(position, shell.rings[0]) !== false),
    );
    const home = around.sort((a, b) => a.area - b.area)[0];
    // A hole outside every shell is a shell that was wound the wrong way.
    if (home) home.rings.push(hole);
    else shells.push({ rings: [hole], area: signedArea(hole) });
  }
  return shells.map((shell) => shell.rings);
}

/** Twice the area, positive counter-clockwise. */
function signedArea(ring: Position[]): number {
  let sum = 0;
  const [x0, y0] = ring[0];
  for (let i = 1; i < ring.length; i++) sum += (ring[i - 1][0] - x0) * (ring[i][1] - y0) - (ring[i][0] - x0) * (ring[i - 1][1] - y0);
  return sum;
}

/** Null on a vertex of the ring. */
function isInside([x, y]: Position, ring: Position[]): boolean | null {
  let inside = false;
  for (let i = 1; i < ring.length; i++) {
    const [[x1, y1], [x2, y2]] = [ring[i - 1], ring[i]];
    if (x === x1 && y === y1) return null;
    if (y1 > y !== y2 > y && x < x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)) inside = !inside;
  }
  return inside;
}
