import { isSeveral } from '../filters/areas.ts';
import { isCall, isObject, type Call, type Expr } from '../filters/ast.ts';
import { isOperandRef, type OperandRef } from '../filters/operands.ts';
import { spaceRelation } from '../operators/operator_registry.ts';
import { LENGTH_UNITS, lengthUnit } from '../space/units.ts';

/** How far round the features that are asked a source or sieve matters. */
export interface OperandReach {
  ref: OperandRef;
  /** On the ellipsoid; Infinity where it hangs on how far off the others are, or on a distance on a plane. */
  metres: number;
}

/** The sources and sieves that an expression (or a list of them) names, each once, with the farthest at which it matters. */
export function operandReaches(expr: Expr): OperandReach[] {
  const found = new Map<string, OperandReach>();
  const visit = (node: Expr, metres: number): void => {
    if (Array.isArray(node)) node.forEach((one) => visit(one, metres));
    else if (!isObject(node)) return;
    else if (isOperandRef(node)) {
      const key = `${node.op} ${node.args[0]}`;
      found.set(key, { ref: node, metres: Math.max(metres, found.get(key)?.metres ?? 0) });
    } else if (isCall(node)) for (const arg of node.args) visit(arg, isSeveral(node) ? metres : reachOfCall(node));
  };
  visit(expr, Infinity);
  return [...found.values()];
}

function reachOfCall(call: Call): number {
  // It is about the same features.
  if (call.op === 'KEPT_BY') return 0;
  switch (spaceRelation(call)?.kind) {
    // What does not meet is in none of them; nor is a share of it.
    case 'meeting':
    case 'engine':
    case 'share':
      return 0;
    case 'distance': {
      const [, , distance, unit = 'm', plane] = call.args;
      const known = typeof unit === 'string' ? lengthUnit(unit) : null;
      return typeof distance === 'number' && known && plane === undefined ? distance * LENGTH_UNITS[known] : Infinity;
    }
    default:
      return Infinity;
  }
}
