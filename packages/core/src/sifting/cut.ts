import type { Geometry } from 'geojson';
import { CRS84, toLonLat, type Crs } from '../crs/crs.ts';
import { convertGeometry } from '../crs/convert.ts';
import { CHUNK_ROWS, type Column } from '../features/column.ts';
import { ColumnBuilder } from '../features/column_builder.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { takeRows } from '../features/subset.ts';
import type { FeatureTable } from '../features/table.ts';
import { freeName } from '../features/table_builder.ts';
import { buffer, type Place } from '../filters/areas.ts';
import { GEOMETRY_NAME, type Call, type Expr } from '../filters/ast.ts';
import { AREA_RELATIONS } from '../operators/operator_registry.ts';
import { positionsIn } from '../operators/shape_operands.ts';
import { isSpaceForm, placeOf, type Form } from '../filters/form.ts';
import { isOperandRef } from '../filters/operands.ts';
import type { Geos } from '../geos/geos.ts';
import { measureOfGeometry } from '../space/measure_geometry.ts';
import { singleParts } from '../space/single_parts.ts';
import { commonWith, coveredBy, dimensionOf, type OverlaySide } from './overlay.ts';
import type { Sifter } from './sifter.ts';
import { overlaySides } from './spatial.ts';

/** What cutting did. */
export interface CutReport {
  /** Features of which a part was cut off, and those that lie wholly within. */
  cut: number;
  whole: number;
  /** Features that only touch what they are cut to, so that nothing of their kind is left; they are left out. */
  gone: number;
  /** Parts left that are smaller than the tolerance, in square metres for polygons and metres for lines; they stay. */
  slivers: number;
  /** Features that had heights (Z), which what is cut has no more. */
  flattened: number;
}

/** What features can be cut to by a condition: where they must lie; null for other conditions. */
export function cutPlaceOf(form: Form): Place | null {
  if (!isSpaceForm(form) || form.outside || form.kind === 'nearest') return null;
  if (form.kind === 'area' && !AREA_RELATIONS.find(({ name }) => name === form.relation)?.cut) return null;
  if (form.kind === 'radius') return buffer({ type: 'Point', coordinates: form.centre }, form.distance, form.unit);
  const place = placeOf(form);
  if ('op' in place && (place.op === 'ANY_OF' || place.op === 'ALL_OF')) return null;
  if (form.kind !== 'near') return place;
  return isOperandRef(place as Expr) || 'op' in place ? null : buffer(place, form.distance, form.unit);
}

/**
 * Rows of a table with their lines and polygons cut to a place; points stay as they are. Areas (m²) and lengths (m) before and
 * after, on the ellipsoid, stand in columns of their own. Of a collection the parts of the highest dimension are left.
 * @param tolerance least size of a part that is no sliver
 * @param progress called now and then with the rows done; may throw to stop
 */
export function cutRows(
  sifter: Sifter,
  table: FeatureTable,
  rows: Uint32Array,
  place: Place,
  tolerance: number,
  geos: Geos,
  progress?: (done: number) => void,
): { table: FeatureTable; report: CutReport } {
  // Asked as a share, a circle comes as the polygon that it is cut by.
  const call = sifter.resolve({ op: 'S_SHARE_IN', args: [{ property: GEOMETRY_NAME }, place as Expr, 1] }) as Call;
  const { mine, theirs } = overlaySides(call, sifter.spatialContext);
  const report: CutReport = { cut: 0, whole: 0, gone: 0, slivers: 0, flattened: 0 };
  const kept: number[] = [];
  const builders = [new GeometryBuilder()];
  const taken = new Set(table.columns.map(({ name }) => name));
  const named = (name: string) => new ColumnBuilder({ name: freeName(name, taken) });
  const sizes = { area: [named('area_before_m2'), named('area_after_m2')], length: [named('length_before_m'), named('length_after_m')] };
  const used = new Set<'area' | 'length'>();
  rows.forEach((row, i) => {
    if ((i & 255) === 0) progress?.(i);
    const chunk = mine.chunks[Math.floor(row / CHUNK_ROWS)];
    const before = chunk.geometryAt(row % CHUNK_ROWS);
    const after = cutGeometry(chunk, row, theirs, geos);
    if (after === null) {
      report.gone++;
      return;
    }
    const at = kept.push(row) - 1;
    if (builders[builders.length - 1].rows === CHUNK_ROWS) builders.push(new GeometryBuilder());
    builders[builders.length - 1].add(after === 'whole' ? before : after);
    const kind = before && /Polygon$/.test(before.type) ? 'area' : before && /Line/.test(before.type) ? 'length' : null;
    if (!kind || !before) return;
    report[after === 'whole' ? 'whole' : 'cut']++;
    if (after !== 'whole' && positionsIn(before).some((position) => position.length > 2)) report.flattened++;
    used.add(kind);
    const own = coveredBy(chunk, row % CHUNK_ROWS, geos)!;
    const [was, is] = [own, after === 'whole' ? own : after].map((geometry) => sizeOf(geometry, table.crs, kind));
    sizes[kind][0].addTyped(at, rounded(was));
    sizes[kind][1].addTyped(at, rounded(is));
    if (after !== 'whole') report.slivers += singleParts(after).filter((part) => sizeOf(part, table.crs, kind) < tolerance).length;
  });
  const left = takeRows(table, Uint32Array.from(kept));
  const added: Column[] = [...used].flatMap((kind) => sizes[kind].map((column) => column.finish(kept.length)));
  const geometry = kept.length === 0 ? [] : builders.map((builder) => builder.finish());
  return { table: { ...left, geometry, columns: [...left.columns, ...added] }, report };
}

/** To the millimetre and the square centimetre, about what coordinates in degrees can tell. */
const rounded = (value: number) => Number(value.toFixed(3));

/** What is left of a row; `whole` when nothing is cut off, null when nothing of its dimension is left. */
function cutGeometry(chunk: GeometryChunk, at: number, theirs: OverlaySide, geos: Geos): Geometry | 'whole' | null {
  const row = at % CHUNK_ROWS;
  const dimension = dimensionOf(chunk, row);
  if (dimension === 0) return 'whole';
  const common = commonWith(chunk, at, theirs, geos);
  if (common === null || common === 'whole') return common;
  const parts = singleParts(common).filter(({ type }) => type === (dimension === 2 ? 'Polygon' : 'LineString'));
  if (parts.length <= 1) return parts[0] ?? null;
  return dimension === 2
    ? { type: 'MultiPolygon', coordinates: parts.map((part) => (part as { coordinates: number[][][] }).coordinates) }
    : { type: 'MultiLineString', coordinates: parts.map((part) => (part as { coordinates: number[][] }).coordinates) };
}

function sizeOf(geometry: Geometry, crs: Crs, kind: 'area' | 'length'): number {
  const lonLat = crs.definition === CRS84.definition ? geometry : convertGeometry(geometry, toLonLat(crs), 1e-8);
  return measureOfGeometry(lonLat)[kind];
}
