import type { Geometry, LineString, Point, Polygon, Position } from 'geojson';
import { ReadError } from '../read_error.ts';

const TYPES = [
  'Geometry',
  'Point',
  'LineString',
  'Polygon',
  'MultiPoint',
  'MultiLineString',
  'MultiPolygon',
  'GeometryCollection',
  'CircularString',
  'CompoundCurve',
  'CurvePolygon',
  'MultiCurve',
  'MultiSurface',
  'Curve',
  'Surface',
  'PolyhedralSurface',
  'TIN',
  'Triangle',
];

/**
 * Reads well-known binary (OGC 06-103r4, clause 8, with the Z and M codes of ISO 13249-3 and the high-bit flags that
 * some programs write). M values are dropped; curved types are refused with a ReadError.
 */
export function geometryOfWkb(bytes: Uint8Array): Geometry {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 0;

  function geometry(): Geometry {
    const little = view.getUint8(at) === 1;
    let code = view.getUint32(at + 1, little);
    at += 5;
    let [hasZ, hasM] = [false, false];
    if (code & 0xe0000000) {
      hasZ = (code & 0x80000000) !== 0;
      hasM = (code & 0x40000000) !== 0;
      if (code & 0x20000000) at += 4;
      code &= 0x1fffffff;
    }
    const level = Math.floor(code / 1000);
    hasZ ||= level === 1 || level === 3;
    hasM ||= level === 2 || level === 3;
    const type = TYPES[code % 1000];
    const number = () => {
      const value = view.getFloat64(at, little);
      at += 8;
      return value;
    };
    const count = () => {
      const value = view.getUint32(at, little);
      at += 4;
      if (value > bytes.length) throw new ReadError('A geometry says it has more parts than it has bytes');
      return value;
    };
    const position = (): Position => {
      const [x, y] = [number(), number()];
      const z = hasZ ? number() : NaN;
      if (hasM) at += 8;
      return Number.isNaN(z) ? [x, y] : [x, y, z];
    };
    const list = <T>(item: () => T): T[] => Array.from({ length: count() }, item);
    const member = <T extends Geometry>() => geometry() as T;
    switch (type) {
      case 'Point': {
        const coordinates = position();
        return { type, coordinates: Number.isNaN(coordinates[0]) ? [] : coordinates };
      }
      case 'LineString':
        return { type, coordinates: list(position) };
      case 'Triangle':
      case 'Polygon':
        return { type: 'Polygon', coordinates: list(() => list(position)) };
      case 'MultiPoint':
        return { type, coordinates: list(() => member<Point>().coordinates) };
      case 'MultiLineString':
        return { type, coordinates: list(() => member<LineString>().coordinates) };
      case 'MultiPolygon':
        return { type, coordinates: list(() => member<Polygon>().coordinates) };
      case 'GeometryCollection':
        return { type, geometries: list(geometry) };
      default:
        throw new ReadError(
          `The geometry type ${type ?? code} is not read here`,
          'Curves and surfaces have to be turned into lines and polygons first',
        );
    }
  }
  try {
    return geometry();
  } catch (error) {
    if (error instanceof RangeError) throw new ReadError('A geometry ends before it is complete');
    throw error;
  }
}
