import { valueAt, type Column } from '../features/column.ts';
import { ColumnBuilder } from '../features/column_builder.ts';
import { keyCandidates } from '../features/difference.ts';
import { has, rowsOf, type Mask } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { freeName } from '../features/table_builder.ts';
import { isCall, type Call, type Expr } from '../filters/ast.ts';
import { formOfExpr, isSpaceForm, placeOf, type Form } from '../filters/form.ts';
import { isOperandRef } from '../filters/operands.ts';
import { MATCH_COLUMNS, nodesIn, type Condition, type Group, type MatchColumn } from '../filters/tree.ts';
import { LENGTH_UNITS } from '../space/units.ts';
import { nearestAnywhere } from './nearest.ts';
import type { Sifter } from './sifter.ts';
import { eachRelated } from './relation_sides.ts';
import { beyondReach, distanceSides, presentRows, relationOf } from './spatial.ts';

/** A column that a condition adds beside those of the source. */
export interface ShownMatch {
  condition: string;
  shows: MatchColumn;
  column: Column;
}

/** What a condition can show of the features that it is about: nothing unless it is one in space. */
export function matchColumnsOf(form: Form): readonly MatchColumn[] {
  if (!isSpaceForm(form)) return [];
  const place = placeOf(form) as Expr;
  if (isOperandRef(place)) return form.kind === 'share' || form.kind === 'nearest' ? ['nearest'] : MATCH_COLUMNS;
  return isCall(place, 'ANY_OF', 'ALL_OF') ? [] : ['nearest'];
}

/**
 * The columns that the conditions of a tree show, with values in the given rows.
 * @param also a condition that shows something just now, whatever it says itself
 */
export function matchColumns(
  sifter: Sifter,
  root: Group,
  rows: Mask,
  also?: { condition: string; shows: readonly MatchColumn[] },
): ShownMatch[] {
  const taken = new Set(sifter.table.columns.map(({ name }) => name));
  return [...nodesIn(root)].flatMap(({ node }) => {
    if (node.kind !== 'condition') return [];
    const wanted = [...(node.shows ?? []), ...(also?.condition === node.id ? also.shows : [])];
    const form = formOfExpr(node.expr, sifter.table.columns);
    return matchColumnsOf(form)
      .filter((shows) => wanted.includes(shows))
      .flatMap((shows) => {
        const name = freeName(`${slugOf(form)}_${shows === 'nearest' ? 'nearest_m' : shows}`, taken);
        const column = shows === 'nearest' ? distances(sifter, form, rows, name) : matches(sifter, node, rows, name, shows);
        if (column === null) {
          if (node.shows?.includes(shows)) throw beyondReach();
          return [];
        }
        taken.add(name);
        return [{ condition: node.id, shows, column }];
      });
  });
}

/** The table with the columns that its tree shows, for tables and files. */
export function withMatchColumns(sifter: Sifter, root: Group, rows: Mask): FeatureTable {
  const { table } = sifter;
  return { ...table, columns: [...table.columns, ...matchColumns(sifter, root, rows).map(({ column }) => column)] };
}

function slugOf(form: Form): string {
  const place = isSpaceForm(form) ? placeOf(form) : null;
  const name = place && 'op' in place && typeof place.args[0] === 'string' ? place.args[0] : 'place';
  const slug = name
    .toLowerCase()
    .replaceAll(/[^\p{L}\p{N}]+/gu, '_')
    .replaceAll(/^_+|_+$/g, '');
  return slug === '' ? 'place' : slug;
}

/**
 * Distance in metres, on the ellipsoid, to the nearest feature or to the shape; blank without a geometry. Null where the nearest may lie
 * farther off than the others are here.
 */
function distances(sifter: Sifter, form: Form, rows: Mask, name: string): Column | null {
  const column = new ColumnBuilder({ name });
  if (!isSpaceForm(form)) return column.finish(sifter.table.rows);
  const sides = distanceSides(sifter, placeOf(form));
  const present = presentRows(sifter.table);
  const from = 'distance' in form ? form.distance * LENGTH_UNITS[form.unit] : 100;
  for (const row of rowsOf(rows)) {
    if (!has(present, row)) continue;
    const nearest = nearestAnywhere(sides, row, from);
    // To the millimetre; what is measured says no more.
    if (nearest) column.addTyped(row, Math.round(nearest.distance * 1000) / 1000);
    else if (sides.reach < Infinity) return null;
  }
  return column.finish(sifter.table.rows);
}

/** How many features the relation holds with, or which, by their identifiers. */
function matches(sifter: Sifter, node: Condition, rows: Mask, name: string, shows: 'count' | 'ids'): Column {
  const call = isCall(node.expr, 'not') ? node.expr.args[0] : node.expr;
  const relation = relationOf(sifter.resolve(call) as Call, sifter.spatialContext);
  const found = new Map<number, Set<number>>();
  eachRelated(
    relation,
    (row) => !has(rows, row),
    (row, other) => {
      const others = found.get(row);
      if (others) others.add(other);
      else found.set(row, new Set([other]));
    },
  );
  const column = new ColumnBuilder({ name });
  const idOf = shows === 'ids' ? identifiers(sifter, node) : null;
  const present = presentRows(sifter.table);
  for (const row of rowsOf(rows)) {
    if (!has(present, row)) continue;
    const others = [...(found.get(row) ?? [])];
    if (!idOf) column.addTyped(row, others.length);
    else if (others.length > 0)
      column.addTyped(
        row,
        others
          .sort((a, b) => a - b)
          .map(idOf)
          .join(', '),
      );
  }
  return idOf ? column.finishAsText(sifter.table.rows) : column.finish(sifter.table.rows);
}

/** What a feature of the other operand is called: by its identifier, by the column that tells most apart, else by its number from 1 on. */
function identifiers(sifter: Sifter, node: Condition): (row: number) => string {
  const form = formOfExpr(node.expr, sifter.table.columns);
  const ref = placeOf(form as Extract<Form, { kind: 'area' }>) as { op: string; args: [string] };
  const { table } = sifter.operands.get(`${ref.op} ${ref.args[0]}`)!;
  const named = table.columns.find(({ role }) => role === 'id') ?? columnNamed(table, keyCandidates(table, table)[0] ?? '');
  return (row) => String((named && row < table.rows ? valueAt(named, row) : null) ?? row + 1);
}
