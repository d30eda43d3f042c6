import { spaceRelation } from '../operators/operator_registry.ts';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import { isAreaRef, isBuffer, isSeveral, type AreaShapes, type Buffer, type Several } from './areas.ts';
import { call, isCall, type Expr } from './ast.ts';
import { exchanged } from './exchange.ts';

/**
 * The expression with the shapes of the areas in the place of their names, several places as one relation each, and
 * buffers as the distances that they are: to meet a buffer is to come within its distance.
 * Throws an error for an area that is not among the shapes, which the checker finds first.
 */
export function withShapes(expr: Expr, shapes: AreaShapes): Expr {
  const named = exchanged(expr, (node) => {
    if (!isAreaRef(node)) return null;
    const shape = shapes.get(node.args[0]);
    if (!shape) throw new Error(`There is no area ${node.args[0]}`);
    return shape as Expr;
  });
  return exchanged(exchanged(named, oneByOne), (node) => {
    const relation = isCall(node) ? spaceRelation(node) : null;
    if (!isCall(node) || !relation) return null;
    const at = node.args.findIndex(isBuffer);
    if (at < 0) return null;
    const [geometry, distance, unit = 'm'] = (node.args[at] as unknown as Buffer).args;
    const within = (more: number) => call('S_DWITHIN', node.args[1 - at], geometry, ...reach(distance, unit, more));
    if (relation.kind === 'meeting') return relation.denied ? call('not', within(0)) : within(0);
    if (relation.kind === 'distance')
      return within((node.args[2] as number) * LENGTH_UNITS[lengthUnit((node.args[3] as string | undefined) ?? 'm')!]);
    return null;
  });
}

/** A relation to several places as relations to each; apart from several is not meeting them. */
function oneByOne(node: Expr): Expr | null {
  const relation = isCall(node) ? spaceRelation(node) : null;
  if (!isCall(node) || !relation) return null;
  const at = node.args.findIndex(isSeveral);
  if (at < 0) return null;
  const { op, args: places } = node.args[at] as unknown as Several;
  const apart = relation.kind === 'meeting' && relation.denied;
  const each = places.map((place) =>
    call(apart ? 's_intersects' : node.op, ...node.args.map((arg, i) => (i === at ? (place as Expr) : arg))),
  );
  const all = each.length === 1 ? each[0] : call(op === 'ANY_OF' ? 'or' : 'and', ...each);
  return apart ? call('not', all) : all;
}

function reach(distance: number, unit: string, more: number): [number, string] {
  return more === 0 ? [distance, unit] : [distance * LENGTH_UNITS[lengthUnit(unit)!] + more, 'm'];
}
