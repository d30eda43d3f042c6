import { checkpoint } from '../checkpoint.ts';
import { CRS84 } from '../crs/crs.ts';
import { CHUNK_ROWS, type Column } from '../features/column.ts';
import { has } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { FilterError } from '../filters/filter_error.ts';
import { operandRef } from '../filters/operands.ts';
import type { Geos } from '../geos/geos.ts';
import { keysOf, type Likeness } from '../joins/keys.ts';
import { eachRelated } from '../sifting/relation_sides.ts';
import { Sifter } from '../sifting/sifter.ts';
import { distanceSides, presentRows } from '../sifting/spatial.ts';
import { Shape } from '../space/shape.ts';
import { boxesAround, distanceTest } from '../space/within_distance.ts';
import { columnOfNumbers } from './column_of_values.ts';

/** When features of a source are duplicates of one another. */
export interface Alike {
  /** Columns that have the same values; none: whatever their values are. */
  columns: string[];
  like: Likeness;
  /** What is blank is like what is blank; else a feature with a blank among those columns is like no other. */
  blanks: boolean;
  /** They are at most so many metres apart, on the ellipsoid; null: wherever they are. */
  within: number | null;
}

/** What a column tells of duplicates: the number of their group, how many are in it, which of them in the source's order it is. */
export const ALIKE_TELLS = ['group', 'size', 'place'] as const;
export type AlikeTells = (typeof ALIKE_TELLS)[number];

/**
 * Groups of features that are alike, each with those that any of it is alike with: two that are farther apart than is said can be in one
 * group by a third between them.
 */
export interface AlikeGroups {
  /** The group of each feature, from 0 on in the order of their first features; -1 where it is like no other. */
  groupOf: Int32Array;
  /** The features of each group, ascending; two at least. */
  members: number[][];
  /** Features that cannot be compared: a blank among the columns, or no place. */
  unknown: number;
}

/**
 * Finds the features that are alike.
 * @param geos where distances are asked for
 * @throws FilterError where neither columns nor a distance are said, or a column is not there
 */
export function alikeGroups(table: FeatureTable, { columns, like, blanks, within }: Alike, geos: Geos | null): AlikeGroups {
  if (columns.length === 0 && within === null)
    throw new FilterError('Nothing says when features are duplicates', null, 'Choose columns, or a distance');
  const of = columns.map((name) => {
    const column = columnNamed(table, name);
    if (!column) throw new FilterError(`There is no column ${name}`);
    return column;
  });
  const keyOf = of.length === 0 ? new Int32Array(table.rows) : keysOf(of, table.rows, like, blanks).keyOf;
  const sets = new Sets(table.rows);
  let placed = (_row: number): boolean => true;
  if (within === null) {
    const first = new Map<number, number>();
    keyOf.forEach((key, row) => {
      if (key < 0) return;
      const known = first.get(key);
      if (known === undefined) first.set(key, row);
      else sets.join(known, row);
    });
  } else placed = joinNear(table, within, geos, keyOf, sets);
  const unknown = keyOf.reduce((sum, key, row) => sum + (key < 0 || !placed(row) ? 1 : 0), 0);
  return { ...groupsOf(sets, table.rows), unknown };
}

/** Joins what is near and has the same key. @returns whether a row has a place */
function joinNear(table: FeatureTable, within: number, geos: Geos | null, keyOf: Int32Array, sets: Sets): (row: number) => boolean {
  const sifter = new Sifter(table, 0, CRS84, geos);
  // Its own source is taken for another one: only then both sides are prepared alike.
  sifter.operands = new Map([['SOURCE own', { key: 'own', table, rows: null }]]);
  const { mine, theirs, meeting, lost } = distanceSides(sifter, operandRef('SOURCE', 'own'));
  const present = presentRows(table);
  const placed = (row: number) => has(present, row) && !(lost && has(lost, row));
  const wanted = (row: number, other: number) => other > row && keyOf[row] >= 0 && keyOf[row] === keyOf[other] && !sets.areOne(row, other);
  // Once all that could be alike is one group, nothing nearer is looked for: else few large groups would be gone through pair by pair.
  const apart = new Map<number, number>();
  for (let row = 0; row < table.rows; row++) if (keyOf[row] >= 0 && placed(row)) apart.set(keyOf[row], (apart.get(keyOf[row]) ?? -1) + 1);
  const join = (row: number, other: number) => {
    sets.join(row, other);
    apart.set(keyOf[row], apart.get(keyOf[row])! - 1);
  };
  let steps = 0;
  // Edges that are straight in another system meet there.
  if (meeting)
    eachRelated(
      meeting,
      () => false,
      (row, other) => {
        if ((++steps & 8191) === 0) checkpoint();
        if (wanted(row, other)) join(row, other);
      },
    );
  for (let row = 0; row < table.rows; row++) {
    if ((row & 255) === 0) checkpoint();
    if (keyOf[row] < 0 || !placed(row) || apart.get(keyOf[row]) === 0) continue;
    const shape = Shape.ofRow(mine.chunks[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS);
    for (const box of boxesAround(shape.box, within))
      for (const [c, chunk] of theirs.chunks.entries()) {
        let isNear: ReturnType<typeof distanceTest> | null = null;
        for (const candidate of chunk.rowsInBox(box)) {
          if ((++steps & 65_535) === 0) checkpoint();
          const other = c * CHUNK_ROWS + candidate;
          if (!wanted(row, other) || (theirs.rows && !has(theirs.rows, other))) continue;
          isNear ??= distanceTest(chunk, shape, within);
          if (isNear(candidate)) join(row, other);
        }
      }
  }
  return placed;
}

function groupsOf(sets: Sets, rows: number): Pick<AlikeGroups, 'groupOf' | 'members'> {
  const of = new Map<number, number[]>();
  for (let row = 0; row < rows; row++) {
    const root = sets.rootOf(row);
    const known = of.get(root);
    if (known) known.push(row);
    else of.set(root, [row]);
  }
  const members = [...of.values()].filter((all) => all.length > 1);
  const groupOf = new Int32Array(rows).fill(-1);
  for (const [group, all] of members.entries()) for (const row of all) groupOf[row] = group;
  return { groupOf, members };
}

/** What the groups tell of each feature. One that is like no other has no group, and is the first of one. */
export function alikeColumn({ groupOf, members }: AlikeGroups, tells: AlikeTells, name: string): Column {
  if (tells === 'group')
    return columnOfNumbers(
      name,
      Float64Array.from(groupOf, (group) => (group < 0 ? NaN : group + 1)),
    );
  const out = new Float64Array(groupOf.length).fill(1);
  for (const all of members) for (const [i, row] of all.entries()) out[row] = tells === 'size' ? all.length : i + 1;
  return columnOfNumbers(name, out);
}

/** Disjoint sets of rows. */
class Sets {
  readonly #parent: Int32Array;

  constructor(rows: number) {
    this.#parent = Int32Array.from({ length: rows }, (_, row) => row);
  }

  rootOf(row: number): number {
    const parent = this.#parent;
    while (parent[row] !== row) row = parent[row] = parent[parent[row]];
    return row;
  }

  areOne(a: number, b: number): boolean {
    return this.rootOf(a) === this.rootOf(b);
  }

  /** The smaller root stays the root, so that a group is known by its first row. */
  join(a: number, b: number): void {
    const [x, y] = [this.rootOf(a), this.rootOf(b)];
    if (x !== y) this.#parent[Math.max(x, y)] = Math.min(x, y);
  }
}
