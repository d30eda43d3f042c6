import { valueAt } from '../features/column.ts';
import { has } from '../features/mask.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { solidOf, type Place } from '../filters/areas.ts';
import type { Expr } from '../filters/ast.ts';
import { formOfExpr, placeOf, type Form } from '../filters/form.ts';
import { isOperandRef } from '../filters/operands.ts';
import { exprOfTree, type Group, type TreeNode } from '../filters/tree.ts';
import { dayOf } from '../filters/words.ts';
import { LENGTH_UNITS } from '../space/units.ts';
import { DAY_MILLIS, parseDate } from '../time/calendar.ts';
import { lastPeriod, nextPeriod } from '../time/period.ts';
import { nearestAnywhere } from './nearest.ts';
import type { Sifter } from './sifter.ts';
import { distanceSides, presentRows } from './spatial.ts';
import { scalarAt } from './accessor.ts';

/** Answer of one condition or group for one feature. */
export interface Reason {
  id: string;
  /** How deep it stands in its groups, 0 at the top. */
  level: number;
  outcome: 'pass' | 'fail' | 'unknown';
  /** The feature's value of the tested column, as ISO text or number; null when blank or when no column is tested. */
  value: string | number | boolean | null;
  /** Distance from the bound, positive on the passing side, in `unit`; null where there is no single bound. */
  margin: number | null;
  unit: 'days' | 'm' | '' | null;
}

/** Why a feature is kept or not: every condition and group at work, from the top of the tree down. */
export function explainFeature(sifter: Sifter, root: Group, row: number): Reason[] {
  const reasons: Reason[] = [];
  const explain = (node: TreeNode, level: number) => {
    const expr = exprOfTree(node);
    if (expr === null) return;
    const { yes, possible } = sifter.verdict(expr);
    const outcome = has(yes, row) ? 'pass' : has(possible, row) ? 'unknown' : 'fail';
    if (node.kind === 'group') {
      reasons.push({ id: node.id, level, outcome, value: null, margin: null, unit: null });
      node.children.forEach((child) => explain(child, level + 1));
      return;
    }
    const form = formOfExpr(node.expr, sifter.table.columns);
    const value = 'column' in form ? columnValue(sifter.table, form.column, row) : null;
    reasons.push({ id: node.id, level, outcome, value, ...marginOf(form, sifter, row) });
  };
  if (!root.off) root.children.forEach((child) => explain(child, 0));
  return reasons;
}

function columnValue(table: FeatureTable, name: string, row: number): Reason['value'] {
  const column = columnNamed(table, name);
  return column ? valueAt(column, row) : null;
}

function marginOf(form: Form, sifter: Sifter, row: number): Pick<Reason, 'margin' | 'unit'> {
  const none = { margin: null, unit: null };
  switch (form.kind) {
    case 'compare': {
      const value = columnValue(sifter.table, form.column, row);
      if (typeof value !== 'number' || typeof form.value !== 'number') return none;
      const above = value - form.value;
      return form.op === '=' || form.op === '<>' ? none : { margin: form.op.startsWith('>') ? above : -above, unit: '' };
    }
    case 'between': {
      const value = columnValue(sifter.table, form.column, row);
      if (typeof value !== 'number') return none;
      return { margin: inside(value, form.low, form.high) * (form.outside ? -1 : 1), unit: '' };
    }
    case 'day': {
      const value = firstDay(sifter.table, form.column, row);
      if (value === null || form.test === 'on') return none;
      const bound = parseDate(dayOf(form.day, sifter.asOf))!.day;
      return { margin: form.test === 'after' || form.test === 'from' ? value - bound : bound - value, unit: 'days' };
    }
    case 'days':
    case 'recent': {
      const value = firstDay(sifter.table, form.column, row);
      if (value === null) return none;
      const [from, to] = form.kind === 'days' ? fixedDays(form.from, form.to) : relativeDays(form, sifter.asOf);
      const margin = inside(value, from, to);
      return Number.isFinite(margin) ? { margin: margin * (form.outside ? -1 : 1), unit: 'days' } : none;
    }
    case 'radius':
    case 'near':
    case 'area': {
      if (form.kind === 'area' && form.relation !== 's_intersects') return none;
      if ('plane' in form && form.plane) return none;
      const place = placeOf(form);
      const solid = solidOf(place, sifter.areas);
      if (!solid && !isOperandRef(place as Expr)) return none;
      const reach = solid?.reach ?? 0;
      const distance = distanceFrom(sifter, row, solid ? solid.geometry : place);
      if (!Number.isFinite(distance)) return none;
      if (form.kind === 'area' && reach === 0 && distance === 0) return none;
      const margin = reach - distance + (form.kind === 'area' ? 0 : form.distance * LENGTH_UNITS[form.unit]);
      return { margin: form.outside ? -margin : margin, unit: 'm' };
    }
    default:
      return none;
  }
}

function distanceFrom(sifter: Sifter, row: number, place: Place): number {
  if (!has(presentRows(sifter.table), row)) return Infinity;
  return nearestAnywhere(distanceSides(sifter, place), row, 100)?.distance ?? Infinity;
}

/** How far inside a range, to its nearer end; negative outside. */
function inside(value: number, low: number, high: number): number {
  return Math.min(value - low, high - value);
}

function firstDay(table: FeatureTable, name: string, row: number): number | null {
  const column = columnNamed(table, name);
  const time = column ? scalarAt(column, row) : null;
  return time !== null && typeof time === 'object' && !Array.isArray(time) ? Math.floor(time.start / DAY_MILLIS) : null;
}

function fixedDays(from: string | null, to: string | null): [number, number] {
  return [from ? parseDate(from)!.day : -Infinity, to ? parseDate(to)!.day : Infinity];
}

function relativeDays(form: Extract<Form, { kind: 'recent' }>, asOf: number): [number, number] {
  const period = (form.side === 'last' ? lastPeriod : nextPeriod)(asOf, form.amount, form.unit);
  return [period.start / DAY_MILLIS, period.end / DAY_MILLIS - 1];
}
