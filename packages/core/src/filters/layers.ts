import { isCall, isInterval, isObject, type Call, type Expr } from './ast.ts';
import { exchanged } from './exchange.ts';

/** Every feature of a source, or every feature that another sieve keeps at the moment: `SOURCE('Paths')`, `SIEVE('Lit paths')`. */
export type LayerRef = { op: 'SOURCE'; args: [string] } | { op: 'SIEVE'; args: [string] };

export const isLayerRef = (expr: Expr): expr is Call & LayerRef => isCall(expr, 'SOURCE', 'SIEVE') && typeof expr.args[0] === 'string';
export const layerRef = (op: LayerRef['op'], name: string): LayerRef => ({ op, args: [name] });

/** Names of the sources and sieves that a filter can speak of. */
export interface LayerNames {
  sources: readonly string[];
  sieves: readonly string[];
}

/** The layers that an expression is about, each once. */
export function layersNamedIn(expr: Expr): LayerRef[] {
  const found = new Map<string, LayerRef>();
  const visit = (node: Expr): void => {
    if (Array.isArray(node)) node.forEach(visit);
    else if (!isObject(node)) return;
    else if (isInterval(node)) node.interval.forEach(visit);
    else if (isLayerRef(node)) found.set(`${node.op} ${node.args[0]}`, node);
    else if (isCall(node)) node.args.forEach(visit);
  };
  visit(expr);
  return [...found.values()];
}

/** The same expression about a source or sieve that has a new name. */
export function renamedLayer(expr: Expr, { op, args: [from] }: LayerRef, to: string): Expr {
  return exchanged(expr, (node) => (isLayerRef(node) && node.op === op && node.args[0] === from ? layerRef(op, to) : null));
}
