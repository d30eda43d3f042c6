import { isCall, isInterval, isObject, type Call, type Expr } from './ast.ts';

/** Every feature of a source, or every feature that another sieve keeps at the moment: `SOURCE('Paths')`, `SIEVE('Lit paths')`. */
export type OperandRef = { op: 'SOURCE'; args: [string] } | { op: 'SIEVE'; args: [string] };

/** Whether an expression names a source or a sieve. */
export const isOperandRef = (expr: Expr): expr is Call & OperandRef => isCall(expr, 'SOURCE', 'SIEVE') && typeof expr.args[0] === 'string';
/** A source or a sieve by its name. */
export const operandRef = (op: OperandRef['op'], name: string): OperandRef => ({ op, args: [name] });

/** Names of the sources and sieves that a filter can speak of. */
export interface OperandNames {
  sources: readonly string[];
  sieves: readonly string[];
}

/** The operands that an expression is about, each once. */
export function operandsIn(expr: Expr): OperandRef[] {
  const found = new Map<string, OperandRef>();
  const visit = (node: Expr): void => {
    if (Array.isArray(node)) node.forEach(visit);
    else if (!isObject(node)) return;
    else if (isInterval(node)) node.interval.forEach(visit);
    else if (isOperandRef(node)) found.set(`${node.op} ${node.args[0]}`, node);
    else if (isCall(node)) node.args.forEach(visit);
  };
  visit(expr);
  return [...found.values()];
}
