import { checkpoint } from '../checkpoint.ts';
import type { Geometry } from 'geojson';
import { CHUNK_ROWS } from '../features/column.ts';
import { GeometryBuilder, withCoordinates } from '../features/geometry_builder.ts';
import { emptyBox, growBox, type Box, type GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import { convertGeometry, OutsideCrsError, transformBetween } from './convert.ts';
import { isGeographic, metresPerUnit, sameCrs, toLonLat, type Crs, type Transform } from './crs.ts';

const views = new WeakMap<GeometryChunk, GeometryChunk>();

/**
 * The geometry of a table in longitude and latitude, vertex by vertex: for the map, for distances on the ellipsoid and
 * for formats that want it. What has no longitude and latitude is NaN, and drawn and found nowhere.
 */
export function lonLatChunks(table: FeatureTable): GeometryChunk[] {
  if (table.crs.definition === null) return table.geometry;
  const convert = toLonLat(table.crs);
  return table.geometry.map((chunk) => {
    let view = views.get(chunk);
    if (!view) {
      const xy = new Float64Array(chunk.xy.length);
      for (let v = 0; v < xy.length; v += 2) [xy[v], xy[v + 1]] = convert(chunk.xy[v], chunk.xy[v + 1]);
      views.set(chunk, (view = withCoordinates(chunk, xy)));
    }
    return view;
  });
}

const otherViews = new WeakMap<GeometryChunk, Map<string, GeometryChunk>>();

/** The geometry of a table in any system, vertex by vertex; what the system cannot express is NaN, and found nowhere. */
export function chunksIn(table: FeatureTable, crs: Crs): GeometryChunk[] {
  if (sameCrs(table.crs, crs)) return table.geometry;
  if (crs.definition === null) return lonLatChunks(table);
  const convert = transformBetween(table.crs, crs);
  return table.geometry.map((chunk) => viewOf(chunk, `vertices ${crs.definition}`, () => vertexByVertex(chunk, convert)));
}

/**
 * The same with edges where they are in the table's own system: an edge becomes as many as it takes to keep it within a
 * millimetre. For relations between sources in different systems.
 */
export function shapesIn(table: FeatureTable, crs: Crs): GeometryChunk[] {
  if (sameCrs(table.crs, crs)) return table.geometry;
  const convert = transformBetween(table.crs, crs);
  const tolerance = isGeographic(crs) ? 1e-8 : 1e-3 / metresPerUnit(crs);
  return table.geometry.map((chunk) =>
    viewOf(chunk, `edges ${crs.definition ?? crs.name}`, () =>
      chunk.onlyPoints ? vertexByVertex(chunk, convert) : edgeByEdge(chunk, convert, tolerance),
    ),
  );
}

function viewOf(chunk: GeometryChunk, key: string, make: () => GeometryChunk): GeometryChunk {
  let views = otherViews.get(chunk);
  if (!views) otherViews.set(chunk, (views = new Map<string, GeometryChunk>()));
  let view = views.get(key);
  if (!view) views.set(key, (view = make()));
  return view;
}

function vertexByVertex(chunk: GeometryChunk, convert: Transform): GeometryChunk {
  const xy = new Float64Array(chunk.xy.length);
  for (let v = 0; v < xy.length; v += 2) {
    const [x, y] = convert(chunk.xy[v], chunk.xy[v + 1]);
    [xy[v], xy[v + 1]] = Number.isFinite(x) && Number.isFinite(y) ? [x, y] : [NaN, NaN];
  }
  return withCoordinates(chunk, xy);
}

/** A shape that the system cannot express in full becomes an empty one, which is found nowhere. */
function edgeByEdge(chunk: GeometryChunk, convert: Transform, tolerance: number): GeometryChunk {
  const builder = new GeometryBuilder();
  for (let row = 0; row < chunk.rows; row++) {
    // A long edge becomes very many.
    checkpoint();
    const geometry = chunk.geometryAt(row);
    try {
      builder.add(geometry && convertGeometry(geometry, convert, tolerance));
    } catch (error) {
      if (!(error instanceof OutsideCrsError)) throw error;
      builder.add({ type: 'GeometryCollection', geometries: [] });
    }
  }
  return builder.finish();
}

/** Geometry of one feature in longitude and latitude, degrees; null where it has none. */
export function lonLatGeometryAt(table: FeatureTable, row: number): Geometry | null {
  return lonLatChunks(table)[Math.floor(row / CHUNK_ROWS)].geometryAt(row % CHUNK_ROWS);
}

/** West, south, east, north of one feature in degrees. */
export function lonLatBoxOf(table: FeatureTable, row: number): Box {
  return lonLatChunks(table)[Math.floor(row / CHUNK_ROWS)].boxOf(row % CHUNK_ROWS);
}

/** West, south, east, north of all features in degrees. */
export function lonLatExtentOf(table: FeatureTable): Box {
  const box = emptyBox();
  for (const chunk of lonLatChunks(table)) {
    if (chunk.box[0] > chunk.box[2]) continue;
    growBox(box, chunk.box[0], chunk.box[1]);
    growBox(box, chunk.box[2], chunk.box[3]);
  }
  return box;
}
