import type { Geometry, Position } from 'geojson';

const CODES = { Point: 1, LineString: 2, Polygon: 3, MultiPoint: 4, MultiLineString: 5, MultiPolygon: 6, GeometryCollection: 7 };

/** Well-known binary (OGC 06-103r4, clause 8), little-endian, with the Z codes of ISO 13249-3 where a position has a Z. */
export function wkbOfGeometry(geometry: Geometry): Uint8Array<ArrayBuffer> {
  const z = hasZ(geometry);
  const bytes = new Uint8Array(sizeOf(geometry, z));
  const view = new DataView(bytes.buffer);
  let at = 0;
  const head = (type: Geometry['type']) => {
    view.setUint8(at, 1);
    view.setUint32(at + 1, CODES[type] + (z ? 1000 : 0), true);
    at += 5;
  };
  const count = (value: number) => {
    view.setUint32(at, value, true);
    at += 4;
  };
  const position = (p: Position) => {
    for (let d = 0; d < (z ? 3 : 2); d++, at += 8) view.setFloat64(at, p[d] ?? NaN, true);
  };
  const line = (positions: Position[]) => {
    count(positions.length);
    positions.forEach(position);
  };
  const rings = (lines: Position[][]) => {
    count(lines.length);
    lines.forEach(line);
  };
  const write = (one: Geometry): void => {
    head(one.type);
    switch (one.type) {
      case 'Point':
        return position(one.coordinates);
      case 'LineString':
        return line(one.coordinates);
      case 'Polygon':
        return rings(one.coordinates);
      case 'MultiPoint':
        count(one.coordinates.length);
        return one.coordinates.forEach((coordinates) => write({ type: 'Point', coordinates }));
      case 'MultiLineString':
        count(one.coordinates.length);
        return one.coordinates.forEach((coordinates) => write({ type: 'LineString', coordinates }));
      case 'MultiPolygon':
        count(one.coordinates.length);
        return one.coordinates.forEach((coordinates) => write({ type: 'Polygon', coordinates }));
      case 'GeometryCollection':
        count(one.geometries.length);
        return one.geometries.forEach(write);
    }
  };
  write(geometry);
  return bytes;
}

function hasZ(geometry: Geometry): boolean {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.some(hasZ);
  let first: unknown = geometry.coordinates;
  while (Array.isArray(first) && Array.isArray(first[0])) first = first[0];
  return (first as Position).length > 2;
}

function sizeOf(geometry: Geometry, z: boolean): number {
  const each = z ? 24 : 16;
  const line = (positions: Position[]) => 4 + each * positions.length;
  const rings = (lines: Position[][]) => lines.reduce((sum, positions) => sum + line(positions), 4);
  switch (geometry.type) {
    case 'Point':
      return 5 + each;
    case 'LineString':
      return 5 + line(geometry.coordinates);
    case 'Polygon':
      return 5 + rings(geometry.coordinates);
    case 'MultiPoint':
      return 9 + (5 + each) * geometry.coordinates.length;
    case 'MultiLineString':
      return geometry.coordinates.reduce((sum, positions) => sum + 5 + line(positions), 9);
    case 'MultiPolygon':
      return geometry.coordinates.reduce((sum, lines) => sum + 5 + rings(lines), 9);
    case 'GeometryCollection':
      return geometry.geometries.reduce((sum, member) => sum + sizeOf(member, z), 9);
  }
}
