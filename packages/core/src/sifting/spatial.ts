import type { Geometry } from 'geojson';
import { convertLiterals } from '../crs/convert.ts';
import { CRS84, isGeographic, metresPerUnit, type Crs } from '../crs/crs.ts';
import { chunksIn } from '../crs/lon_lat_view.ts';
import { GROUP_ROWS } from '../features/column.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { andNot, emptyMask, has, not, or, put, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { isBuffer, reachOf, type Buffer, type Place } from '../filters/areas.ts';
import { GEOMETRY_NAME, isBox, isCall, type Call, type Expr } from '../filters/ast.ts';
import { isSubject } from '../filters/check.ts';
import { FilterError } from '../filters/filter_error.ts';
import { bufferedShape } from '../geos/buffered.ts';
import { ENGINE_RELATIONS, type EngineRelation, type Geos } from '../geos/geos.ts';
import { shapeOfBox } from '../space/box.ts';
import { centroidsOf } from '../space/centroid.ts';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { eachPair, sideOf, type PairTest, type Side } from './pairs.ts';
import { nearestMask } from './nearest.ts';
import { distanceRelation, engineRelation, INTERSECTION, planeRelation } from './pair_tests.ts';
import { shareMask } from './share.ts';
import type { Sifter, Verdict } from './sifter.ts';

/** Features of another source that a relation is about. */
export interface Layer {
  /** Tells these features from any others: the source, its state, and which of them take part. */
  key: string;
  table: FeatureTable;
  /** Null: all of them. */
  rows: Mask | null;
}

/** What a spatial relation is evaluated with. */
export interface SpatialContext {
  table: FeatureTable;
  literalCrs: Crs;
  geos: Geos | null;
  /** By their keys. */
  layers: ReadonlyMap<string, Layer>;
}

/** In a resolved expression, a layer by its key. */
export const layerCall = (key: string): Call => ({ op: 'LAYER', args: [key] });

/** A relation with its two sides in one system, ready to be evaluated. */
export interface SpatialRelation {
  mine: Side;
  theirs: Side;
  test: PairTest;
}

/** @param call a relation whose names are resolved (`Sifter.resolve`) */
export function spatialVerdict(call: Call, context: SpatialContext): Verdict {
  const { table } = context;
  const present = presentRows(table);
  const yes = yesOf(call, context, present);
  return { yes, possible: or(yes, not(present, table.rows)) };
}

function yesOf(call: Call, context: SpatialContext, present: Mask): Mask {
  const { table } = context;
  const { op: name } = call;
  if (name === 'S_NEAREST') return nearestMask(sides(call, context, CRS84), table.rows, call.args[2] as number);
  if (name === 'S_SHARE_IN') {
    const { mine, theirs } = sides(call, context, table.crs);
    return shareMask(mine, theirs, table, engine(context), call.args[2] as number);
  }
  const { mine, theirs, test } = relationOf(call, context);
  const hit = emptyMask(table.rows);
  eachPair(mine, theirs, test, (row) => has(hit, row), (row) => put(hit, row)); // prettier-ignore
  return name === 's_disjoint' ? andNot(present, hit) : hit;
}

/** The relation behind a call: of S_DISJOINT the one that it denies. */
export function relationOf(call: Call, context: SpatialContext): SpatialRelation {
  const { table } = context;
  const { op, args } = call;
  if (op === 'S_DWITHIN') {
    const metres = (args[2] as number) * LENGTH_UNITS[lengthUnit((args[3] as string | undefined) ?? 'm')!];
    if (args[4] !== 'plane') return { ...sides(call, context, CRS84), test: distanceRelation(metres) };
    if (isGeographic(table.crs))
      throw new FilterError(
        'The source is in longitude and latitude, so distances are measured on the ellipsoid',
        null,
        "Leave 'plane' out",
      );
    return { ...sides(call, context, table.crs), test: planeRelation(metres / metresPerUnit(table.crs)) };
  }
  const decided = sides(call, context, table.crs);
  if (!(ENGINE_RELATIONS as readonly string[]).includes(op)) return { ...decided, test: INTERSECTION };
  return { ...decided, test: engineRelation(op as EngineRelation, !isSubject(args[0]), () => engine(context)) };
}

function engine({ geos }: SpatialContext): Geos {
  if (!geos) throw new Error('The geometry engine is not loaded');
  return geos;
}

/** The two sides of a relation in the system in which it is decided. */
export function sides({ op, args }: Call, context: SpatialContext, crs: Crs): { mine: Side; theirs: Side } {
  const { table, layers, literalCrs } = context;
  const subject = args.findIndex(isSubject);
  const operand = args[subject === 0 ? 1 : 0];
  // The centroid is that of the source's own coordinates, wherever it is measured from.
  const own = isCall(args[subject], 'CENTROID') ? centroidTable(table) : table;
  const mine = sideOf(chunksIn(own, crs), null);
  if (isCall(operand, 'LAYER')) {
    const layer = layers.get(operand.args[0] as string)!;
    return { mine, theirs: sideOf(chunksIn(layer.table, crs), layer.rows, layer.table === table) };
  }
  const whole = (ENGINE_RELATIONS as readonly string[]).includes(op) || op === 'S_SHARE_IN';
  const literals = isBuffer(operand) ? [polygonOf(operand, context)] : geometriesOf(operand, whole);
  const builder = new GeometryBuilder();
  for (const literal of literals) builder.add(convertLiterals(literal, literalCrs, crs) as Geometry);
  return { mine, theirs: sideOf([builder.finish()], null) };
}

function polygonOf(buffer: Call & Buffer, context: SpatialContext): Geometry {
  const { literalCrs } = context;
  const centre = convertLiterals(buffer.args[0], literalCrs, CRS84) as Geometry;
  return convertLiterals(bufferedShape(centre, reachOf(buffer), engine(context)).geometry, CRS84, literalCrs) as Geometry; // prettier-ignore
}

const centroidTables = new WeakMap<FeatureTable, FeatureTable>();

function centroidTable(table: FeatureTable): FeatureTable {
  let centroids = centroidTables.get(table);
  if (!centroids) centroidTables.set(table, (centroids = { ...table, geometry: table.geometry.map(centroidsOf) }));
  return centroids;
}

const present = new WeakMap<FeatureTable, Mask>();

/** Rows that have a geometry. */
export function presentRows(table: FeatureTable): Mask {
  let mask = present.get(table);
  if (!mask) {
    mask = emptyMask(table.rows);
    for (const [group, chunk] of table.geometry.entries())
      for (let row = 0; row < chunk.rows; row++) if (!chunk.isMissing(row)) put(mask, group * GROUP_ROWS + row);
    present.set(table, mask);
  }
  return mask;
}

/** @param whole a shape of several polygons as one, rather than as one of each */
function geometriesOf(literal: Expr, whole: boolean): Geometry[] {
  if (!isBox(literal)) return [literal as Geometry];
  const shape = shapeOfBox(literal);
  if (whole || shape.type === 'Polygon') return [shape];
  return shape.coordinates.map((coordinates) => ({ type: 'Polygon', coordinates }));
}

/** Both sides of a distance to a place, in longitude and latitude. */
export function lonLatSides(sifter: Sifter, place: Place): { mine: Side; theirs: Side } {
  const call = sifter.resolve({ op: 'S_DWITHIN', args: [{ property: GEOMETRY_NAME }, place as Expr, 0, 'm'] }) as Call;
  return sides(call, sifter.spatialContext, CRS84);
}
