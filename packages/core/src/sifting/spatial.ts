import type { Geometry } from 'geojson';
import { convertLiterals, OutsideCrsError } from '../crs/convert.ts';
import { CRS84, isGeographic, metresPerUnit, sameCrs, type Crs } from '../crs/crs.ts';
import { edgesOnEarth } from '../crs/edges_on_earth.ts';
import { systemSaid } from '../crs/located.ts';
import { shapesIn } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import type { GeometryChunk } from '../features/geometry.ts';
import { GeometryBuilder } from '../features/geometry_builder.ts';
import { andNot, emptyMask, has, not, or, put, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { isBuffer, reachOf, type Buffer, type Place } from '../filters/areas.ts';
import { GEOMETRY_NAME, isBox, isCall, type Call, type Expr } from '../filters/ast.ts';
import { isSubject } from '../operators/shape_operands.ts';
import { FilterError } from '../filters/filter_error.ts';
import { bufferedShape } from '../geos/buffered.ts';
import type { Geos } from '../geos/geos.ts';
import { engineRelationOf, spaceRelation } from '../operators/operator_registry.ts';
import { shapeOfBox } from '../space/box.ts';
import { centroidsOf } from '../space/centroid.ts';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { acrossSeam, besideSeam } from './across_seam.ts';
import { sideOf, type Side } from './pairs.ts';
import { eachRelated, type BothSides, type EarthSides, type SpatialRelation } from './relation_sides.ts';
import { nearestMask } from './nearest.ts';
import { distanceRelation, engineRelation, INTERSECTION, planeRelation } from './pair_tests.ts';
import type { OverlaySide } from './overlay.ts';
import { shareMask } from './share.ts';
import type { Sifter, Verdict } from './sifter.ts';

/** Features of another source that a relation is about. */
export interface Operand {
  /** Tells these features from any others: the source, its state, and which of them take part. */
  key: string;
  table: FeatureTable;
  /** Null: all of them. */
  rows: Mask | null;
  /** How far round the features that are asked all of these are here, in metres; wherever they are unless it is told. */
  reach?: number;
}

/** What a spatial relation is evaluated with. */
export interface SpatialContext {
  table: FeatureTable;
  /** The system of literals that name none. */
  literalCrs: Crs;
  /** Systems that literals name. */
  systems: readonly Crs[];
  geos: Geos | null;
  /** By their keys. */
  operands: ReadonlyMap<string, Operand>;
}

/** In a resolved expression, an operand by its key. */
export const operandCall = (key: string): Call => ({ op: 'OPERAND', args: [key] });

/** Whether a relation itself needs the geometry engine; what its operands are made of may. */
export function relatesByEngine(call: Call): boolean {
  const kind = spaceRelation(call)?.kind;
  return kind === 'engine' || kind === 'share';
}

/** @param call a relation whose names are resolved (`Sifter.resolve`) */
export function spatialVerdict(call: Call, context: SpatialContext): Verdict {
  const { table } = context;
  const present = presentRows(table);
  const { yes, lost } = outcomeOf(call, context, present);
  const known = lost ? andNot(present, lost) : present;
  const sure = lost ? andNot(yes, lost) : yes;
  return { yes: sure, possible: or(sure, not(known, table.rows)) };
}

function outcomeOf(call: Call, context: SpatialContext, present: Mask): { yes: Mask; lost: Mask | null } {
  const { table } = context;
  const space = spaceRelation(call)!;
  if (space.kind === 'nearest') {
    const sides = earthSides(call, context);
    if (sides.reach < Infinity) throw beyondReach();
    return { yes: nearestMask(sides, table.rows, call.args[2] as number), lost: sides.lost };
  }
  if (space.kind === 'share') {
    const { mine, theirs } = overlaySides(call, context);
    return { yes: shareMask(mine, theirs, table, engine(context), call.args[2] as number), lost: null };
  }
  const relation = relationOf(call, context);
  const hit = emptyMask(table.rows);
  eachRelated(
    relation,
    (row) => has(hit, row),
    (row) => put(hit, row),
  );
  return { yes: space.kind === 'meeting' && space.denied ? andNot(present, hit) : hit, lost: relation.lost };
}

/** Refuses what hangs on features of another source that are not here. */
export const beyondReach = (): FilterError =>
  new FilterError('Of the other source only what lies near is here, and this hangs on what lies farther off', null);

/** The relation behind a call: of S_DISJOINT the one that it denies. */
export function relationOf(call: Call, context: SpatialContext): SpatialRelation {
  const { table } = context;
  const { args } = call;
  if (spaceRelation(call)?.kind === 'distance') {
    const metres = (args[2] as number) * LENGTH_UNITS[lengthUnit((args[3] as string | undefined) ?? 'm')!];
    const { reach = Infinity } = operandTable(call, context);
    if (metres > reach || (args[4] === 'plane' && reach < Infinity)) throw beyondReach();
    if (args[4] !== 'plane') {
      const { meeting, mine, theirs, lost } = earthSides(call, context);
      return { mine, theirs, lost, first: meeting, test: distanceRelation(metres) };
    }
    if (isGeographic(table.crs))
      throw new FilterError(
        'The source is in longitude and latitude, so distances are measured on the ellipsoid',
        null,
        "Leave 'plane' out",
      );
    const both = sides(call, context, table.crs);
    return { ...both, first: null, test: planeRelation(metres / metresPerUnit(table.crs)) };
  }
  const crs = decidingCrs(call, context);
  const decided = sides(call, context, crs);
  const relation = engineRelationOf(call);
  if (!relation) return meetingOf(decided, crs);
  const [theirsFirst, geos] = [!isSubject(args[0]), () => engine(context)];
  if (isGeographic(crs)) return acrossSeam(relation, theirsFirst, decided, table.rows, geos);
  return { ...decided, first: null, test: engineRelation(relation, theirsFirst, geos) };
}

/** Sharing at least one point; in longitude and latitude, what lies at 180° lies at −180° too. */
function meetingOf(decided: BothSides, crs: Crs): SpatialRelation {
  const relation = { ...decided, first: null, test: INTERSECTION };
  if (!isGeographic(crs)) return relation;
  return besideSeam(decided.theirs).reduce<SpatialRelation>((first, theirs) => ({ ...relation, theirs, first }), relation);
}

function engine({ geos }: SpatialContext): Geos {
  if (!geos) throw new Error('The geometry engine is not loaded');
  return geos;
}

/**
 * The system in which a relation is decided: the source's own, unless it is in longitude and latitude and the other side is
 * not. In a plane, what runs round a pole or across the 180° meridian is as whole as anything else.
 */
function decidingCrs(call: Call, context: SpatialContext): Crs {
  const { table } = context;
  const other = operandTable(call, context).table.crs;
  return isGeographic(table.crs) && !isGeographic(other) ? other : table.crs;
}

/** The other side of a relation: an operand, or a literal in the system that it is written in, as a table of its own. */
function operandTable(call: Call, context: SpatialContext): Operand {
  const { args } = call;
  const operand = args[args.findIndex(isSubject) === 0 ? 1 : 0];
  if (isCall(operand, 'OPERAND')) return context.operands.get(operand.args[0] as string)!;
  const whole = relatesByEngine(call);
  const shapes = isBuffer(operand) ? [polygonOf(operand, context)] : geometriesOf(operand, whole);
  const crs = isBuffer(operand) ? CRS84 : systemOf(shapes[0], context);
  const builder = new GeometryBuilder();
  for (const shape of shapes) builder.add(shape);
  return { key: '', table: { rows: shapes.length, columns: [], geometry: [builder.finish()], crs }, rows: null };
}

/** The system that a literal is written in: the one that it names, else that of the filter. */
function systemOf(literal: Geometry, { systems, literalCrs }: SpatialContext): Crs {
  const said = systemSaid(literal);
  if (said === null) return literalCrs;
  const system = [CRS84, literalCrs, ...systems].find(({ name }) => name === said);
  if (!system) throw new FilterError(`The system ${said} of a geometry is not known here`, null);
  return system;
}

function subjectTable({ args }: Call, { table }: SpatialContext): FeatureTable {
  // The centroid is that of the source's own coordinates, wherever it is measured from.
  return isCall(args[args.findIndex(isSubject)], 'CENTROID') ? centroidTable(table) : table;
}

/** The two sides of a relation in the system in which it is decided. */
export function sides(call: Call, context: SpatialContext, crs: Crs): BothSides {
  const own = subjectTable(call, context);
  const other = operandTable(call, context);
  const chunks = shapesIn(own, crs);
  return {
    mine: sideOf(chunks, null),
    theirs: sideOf(literalsIn(other, crs), other.rows, other.table === context.table),
    lost: sameCrs(own.crs, crs) ? null : lostIn(own, chunks),
  };
}

/** The two sides of a share or a cut, in the table's own system. */
export function overlaySides(call: Call, context: SpatialContext): { mine: Side; theirs: OverlaySide } {
  const { crs } = context.table;
  const { mine, theirs } = sides(call, context, crs);
  return { mine, theirs: { ...theirs, beside: isGeographic(crs) ? besideSeam(theirs) : [] } };
}

/** A literal that the system cannot express is an error; a feature of an operand that it cannot express is found nowhere. */
function literalsIn({ key, table }: Operand, crs: Crs): GeometryChunk[] {
  if (key !== '') return shapesIn(table, crs);
  const builder = new GeometryBuilder();
  try {
    for (let row = 0; row < table.rows; row++) builder.add(convertLiterals(table.geometry[0].geometryAt(row)!, table.crs, crs) as Geometry);
  } catch (error) {
    if (!(error instanceof OutsideCrsError)) throw error;
    throw new FilterError(
      `${error.message} of the source (${crs.label})`,
      null,
      'The condition is about a place that the source has no coordinates for',
    );
  }
  return [builder.finish()];
}

/** Rows whose shape is not expressed in full in another system. */
function lostIn(table: FeatureTable, chunks: GeometryChunk[]): Mask {
  const lost = emptyMask(table.rows);
  for (const [chunkNumber, chunk] of chunks.entries())
    for (let row = 0; row < chunk.rows; row++) {
      const [from, to] = chunk.vertexRange(row);
      const [first, after] = table.geometry[chunkNumber].vertexRange(row);
      if ((from === to && first < after) || chunk.xy.subarray(2 * from, 2 * to).some(Number.isNaN))
        put(lost, chunkNumber * CHUNK_ROWS + row);
    }
  return lost;
}

/** Both sides of a distance, their edges in longitude and latitude; what meets by S_INTERSECTS is at no distance. */
function earthSides(call: Call, context: SpatialContext): EarthSides {
  const other = operandTable(call, context);
  const [mine, theirs] = [edgesOnEarth(subjectTable(call, context)), edgesOnEarth(other.table)];
  const crs = decidingCrs(call, context);
  return {
    mine: sideOf(mine.chunks, null),
    theirs: sideOf(theirs.chunks, other.rows, other.table === context.table),
    lost: mine.lost,
    meeting: mine.ringsOnly || theirs.ringsOnly ? meetingOf(sides(call, context, crs), crs) : null,
    reach: other.reach ?? Infinity,
  };
}

function polygonOf(buffer: Call & Buffer, context: SpatialContext): Geometry {
  const centre = convertLiterals(buffer.args[0], systemOf(buffer.args[0], context), CRS84) as Geometry;
  return bufferedShape(centre, reachOf(buffer), engine(context)).geometry;
}

const centroidTables = new WeakMap<FeatureTable, FeatureTable>();

function centroidTable(table: FeatureTable): FeatureTable {
  let centroids = centroidTables.get(table);
  if (!centroids)
    centroidTables.set(
      table,
      (centroids = { ...table, geometry: table.geometry.map((chunk) => centroidsOf(chunk, isGeographic(table.crs))) }),
    );
  return centroids;
}

const present = new WeakMap<FeatureTable, Mask>();

/** Rows that have a geometry. */
export function presentRows(table: FeatureTable): Mask {
  let mask = present.get(table);
  if (!mask) {
    mask = emptyMask(table.rows);
    for (const [chunkNumber, chunk] of table.geometry.entries())
      for (let row = 0; row < chunk.rows; row++) if (!chunk.isMissing(row)) put(mask, chunkNumber * CHUNK_ROWS + row);
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

/** Both sides of a distance to a place. */
export function distanceSides(sifter: Sifter, place: Place): EarthSides {
  const call = sifter.resolve({ op: 'S_DWITHIN', args: [{ property: GEOMETRY_NAME }, place as Expr, 0, 'm'] }) as Call;
  return earthSides(call, sifter.spatialContext);
}
