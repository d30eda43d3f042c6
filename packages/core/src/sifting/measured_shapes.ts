import type { Position } from 'geojson';
import { checkpoint } from '../checkpoint.ts';
import { CRS84, isGeographic, type Crs } from '../crs/crs.ts';
import { chunksIn, lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { LINE, POLYGON, type GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import type { ShapeMeasure } from '../operators/operator.ts';
import { centroidsOf } from '../space/centroid.ts';
import { geodesicArea, geodesicLength } from '../space/measure_geometry.ts';

/** Of one row of a chunk; NaN where there is nothing to tell. */
type MeasureRow = (chunk: GeometryChunk, row: number) => number;

function eachRow(chunks: readonly GeometryChunk[], rows: number, measure: MeasureRow): Float64Array<ArrayBuffer> {
  const out = new Float64Array(rows).fill(NaN);
  for (const [number, chunk] of chunks.entries())
    for (let row = 0; row < chunk.rows; row++) {
      if ((row & 1023) === 0) checkpoint();
      if (!chunk.isMissing(row)) out[number * CHUNK_ROWS + row] = measure(chunk, row);
    }
  return out;
}

function* positions({ xy }: GeometryChunk, from: number, to: number): Generator<Position> {
  for (let v = from; v < to; v++) yield [xy[2 * v], xy[2 * v + 1]];
}

/** Sum over the parts of a kind, ring by ring. */
function overRings(kind: number, ofRing: (chunk: GeometryChunk, from: number, to: number, isHole: boolean) => number): MeasureRow {
  return (chunk, row) => {
    const { rowParts, partKinds, partRings, ringVertices } = chunk;
    let sum = 0;
    for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
      if (partKinds[part] !== kind) continue;
      for (let ring = partRings[part]; ring < partRings[part + 1]; ring++)
        sum += ofRing(chunk, ringVertices[ring], ringVertices[ring + 1], ring > partRings[part]);
    }
    return sum;
  };
}

// Holes are taken off, and what parts cover together counts each time, as the geometry engine of simple features has it.
const areaOf = overRings(POLYGON, (chunk, from, to, isHole) => (isHole ? -1 : 1) * geodesicArea(positions(chunk, from, to - 1)));
const lengthOf = overRings(LINE, (chunk, from, to) => geodesicLength(positions(chunk, from, to)));
const perimeterOf = overRings(POLYGON, (chunk, from, to) => geodesicLength(positions(chunk, from, to)));

const corners: MeasureRow = ({ rowParts, partKinds, partRings, ringVertices }, row) => {
  let sum = 0;
  for (let part = rowParts[row]; part < rowParts[row + 1]; part++)
    for (let ring = partRings[part]; ring < partRings[part + 1]; ring++)
      // A ring comes back to its first corner.
      sum += ringVertices[ring + 1] - ringVertices[ring] - (partKinds[part] === POLYGON ? 1 : 0);
  return sum;
};

/** Of the centres of gravity, one coordinate: of the shapes as they lie in a system. */
const centre =
  (axis: 0 | 1, inDegrees: boolean) =>
  (table: FeatureTable, system: Crs | null): Float64Array<ArrayBuffer> => {
    const crs = inDegrees ? CRS84 : (system ?? table.crs);
    return eachRow(
      chunksIn(table, crs).map((chunk) => centroidsOf(chunk, isGeographic(crs))),
      table.rows,
      (chunk, row) => {
        const [first, end] = chunk.vertexRange(row);
        return first === end ? NaN : chunk.xy[2 * first + axis];
      },
    );
  };
const onEarth = (measure: MeasureRow) => (table: FeatureTable) => eachRow(lonLatChunks(table), table.rows, measure);

const MEASURES: Record<ShapeMeasure, (table: FeatureTable, system: Crs | null) => Float64Array<ArrayBuffer>> = {
  area: onEarth(areaOf),
  length: onEarth(lengthOf),
  perimeter: onEarth(perimeterOf),
  lon: centre(0, true),
  lat: centre(1, true),
  x: centre(0, false),
  y: centre(1, false),
  parts: onEarth(({ rowParts }, row) => rowParts[row + 1] - rowParts[row]),
  corners: onEarth(corners),
};

/** What has been measured of geometries, in metres: it takes long, and stays the same in any unit and on any day. */
const known = new WeakMap<readonly GeometryChunk[], Map<string, Float64Array<ArrayBuffer>>>();

/**
 * Measures the geometry of every row on the WGS 84 ellipsoid, with edges as geodesics.
 * @param unit metres, or square metres, in a unit of the result; 1 for what has none
 * @param system of centres; null for the table's own
 * @returns a number a row; NaN for one without a geometry, and for a centre where the system does not reach
 */
export function measuredShapes(
  table: FeatureTable,
  measure: ShapeMeasure,
  unit: number,
  system: Crs | null = null,
): Float64Array<ArrayBuffer> {
  let measures = known.get(table.geometry);
  if (!measures) known.set(table.geometry, (measures = new Map<string, Float64Array<ArrayBuffer>>()));
  const key = system === null ? measure : `${measure} ${system.name} ${system.definition ?? ''}`;
  let values = measures.get(key);
  if (!values) measures.set(key, (values = MEASURES[measure](table, system)));
  return unit === 1 ? values : values.map((value) => value / unit);
}
