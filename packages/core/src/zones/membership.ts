import { checkpoint } from '../checkpoint.ts';
import { CRS84, isGeographic } from '../crs/crs.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { GEOMETRY_TYPES, POLYGON } from '../features/geometry.ts';
import { has, maskOf } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { GEOMETRY_NAME, type Call } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import type { Geos } from '../geos/geos.ts';
import { besideSeam } from '../sifting/across_seam.ts';
import { eachRelated } from '../sifting/relation_sides.ts';
import { shareOf } from '../sifting/share.ts';
import { operandCall, overlaySides, presentRows, relationOf, type SpatialContext } from '../sifting/spatial.ts';

/**
 * Which features lie in which zones. A feature is in each zone that it meets (S_INTERSECTS): one that lies on the edge of a zone is in
 * it, one on the common edge of two is in both.
 */
export interface Membership {
  zones: number;
  /** The features of zone `z` are `features[starts[z] .. starts[z + 1])`, ascending. */
  starts: Uint32Array;
  features: Uint32Array;
  /** In how many zones each feature is, and the first of them; -1 where there is none. */
  zonesOf: Uint32Array;
  firstOf: Int32Array;
  /** Whether nothing is known of where a feature lies: it has no geometry, or none in the system of the zones. */
  isUnplaced: (row: number) => boolean;
  /** Which part of a feature, 0 to 1, lies in a zone that it is in: of its area, else of its length, else of its points. */
  partOf: (feature: number, zone: number) => number;
  /** The same where zones that lie over one another share what is in both, so that the parts of a feature make it whole at most. */
  sharedPartOf: (feature: number, zone: number) => number;
}

const ZONES = 'zones';

/**
 * Finds which features lie in which zones.
 * @param geos of what only lies in part in a zone, the part is measured by it; null where no parts are asked for
 * @throws FilterError where the zones have no polygons
 */
export function membershipOf(features: FeatureTable, zones: FeatureTable, geos: Geos | null): Membership {
  if (!zones.geometry.some(({ partKinds }) => partKinds.includes(POLYGON)))
    throw new FilterError('The zones have no polygons', null, 'Zones are areas: take a source of polygons, or make a grid');
  const call: Call = { op: 's_intersects', args: [{ property: GEOMETRY_NAME }, operandCall(ZONES)] };
  const operand = { key: ZONES, table: zones, rows: null };
  const context: SpatialContext = { table: features, literalCrs: CRS84, systems: [], geos, operands: new Map([[ZONES, operand]]) };
  const relation = relationOf(call, context);
  const pairs: number[] = [];
  let visits = 0;
  eachRelated(
    relation,
    () => false,
    (row, zone) => {
      if ((++visits & 8191) === 0) checkpoint();
      pairs.push(zone * features.rows + row);
    },
  );
  const { starts, members } = sorted(pairs, features.rows, zones.rows);
  const zonesOf = new Uint32Array(features.rows);
  for (const row of members) zonesOf[row]++;
  const firstOf = new Int32Array(features.rows).fill(-1);
  for (let zone = zones.rows - 1; zone >= 0; zone--) for (let i = starts[zone]; i < starts[zone + 1]; i++) firstOf[members[i]] = zone;
  const present = presentRows(features);
  const { lost } = relation;
  const partOf = partFinder(call, context, zones);
  return {
    zones: zones.rows,
    starts,
    features: members,
    zonesOf,
    firstOf,
    isUnplaced: (row) => !has(present, row) || (lost !== null && has(lost, row)),
    partOf,
    sharedPartOf: sharing(partOf, starts, members, features.rows),
  };
}

function sharing(partOf: Membership['partOf'], starts: Uint32Array, members: Uint32Array, rows: number): Membership['partOf'] {
  let sums: Float64Array | null = null;
  return (feature, zone) => {
    if (!sums) {
      sums = new Float64Array(rows);
      for (let of = 0; of + 1 < starts.length; of++)
        for (let i = starts[of]; i < starts[of + 1]; i++) sums[members[i]] += partOf(members[i], of);
    }
    return partOf(feature, zone) / Math.max(1, sums[feature]);
  };
}

/** Pairs by zone, then by feature, each once. */
function sorted(pairs: number[], rows: number, zones: number): { starts: Uint32Array; members: Uint32Array } {
  const ascending = Float64Array.from(pairs).sort();
  const starts = new Uint32Array(zones + 1);
  const members = new Uint32Array(ascending.length);
  let size = 0;
  for (let i = 0; i < ascending.length; i++) {
    if (i > 0 && ascending[i] === ascending[i - 1]) continue;
    const zone = Math.floor(ascending[i] / rows);
    starts[zone + 1]++;
    members[size++] = ascending[i] - zone * rows;
  }
  for (let zone = 0; zone < zones; zone++) starts[zone + 1] += starts[zone];
  return { starts, members: members.slice(0, size) };
}

function partFinder(call: Call, context: SpatialContext, zones: FeatureTable): Membership['partOf'] {
  const { table, geos } = context;
  let sides: ReturnType<typeof overlaySides> | null = null;
  const onlyZone = new Map<number, ReturnType<typeof overlaySides>['theirs']>();
  return (feature, zone) => {
    sides ??= overlaySides(call, context);
    const { mine, theirs } = sides;
    const chunk = mine.chunks[Math.floor(feature / CHUNK_ROWS)];
    // A point is in a zone or not; what is on its edge is in it.
    if (GEOMETRY_TYPES[chunk.types[feature % CHUNK_ROWS]] === 'Point') return 1;
    if (!geos) throw new Error('The geometry engine is not loaded');
    let one = onlyZone.get(zone);
    if (!one) {
      const side = { ...theirs, rows: maskOf([zone], zones.rows) };
      one = { ...side, beside: isGeographic(table.crs) ? besideSeam(side) : [] };
      onlyZone.set(zone, one);
    }
    checkpoint();
    return shareOf(chunk, feature, one, table, geos);
  };
}

/** What becomes of the features, so that totals add up: those in a zone and outside all make, with what is not placed, all of them. */
export interface ZoneAccount {
  features: number;
  /** In one zone or more. */
  inside: number;
  /** In no zone. */
  outside: number;
  /** In more than one zone, those on a common edge among them. */
  several: number;
  /** Without a place: they count nowhere. */
  unplaced: number;
  /** Zones without any of the features. */
  empty: number;
}

/** @param kept the features that count; null: all */
export function accountOf(membership: Membership, kept: ((row: number) => boolean) | null): ZoneAccount {
  const { zonesOf, isUnplaced, zones, starts, features } = membership;
  const account: ZoneAccount = { features: 0, inside: 0, outside: 0, several: 0, unplaced: 0, empty: 0 };
  for (let row = 0; row < zonesOf.length; row++) {
    if (kept && !kept(row)) continue;
    account.features++;
    if (isUnplaced(row)) account.unplaced++;
    else if (zonesOf[row] === 0) account.outside++;
    else {
      account.inside++;
      if (zonesOf[row] > 1) account.several++;
    }
  }
  for (let zone = 0; zone < zones; zone++) {
    const own = features.subarray(starts[zone], starts[zone + 1]);
    if (!(kept ? own.some(kept) : own.length > 0)) account.empty++;
  }
  return account;
}
