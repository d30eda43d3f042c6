import { parseDate, parseInstant } from '../time/calendar.ts';
import { checkedGeometry } from '../formats/geojson/geometry.ts';
import type { Expr } from './ast.ts';
import { MAX_DEPTH } from './parser.ts';

/** Whether a value from outside has the shape of an expression; types are the checker's business. */
export function isExpr(value: unknown, depth = 0): value is Expr {
  if (depth > MAX_DEPTH) return false;
  if (typeof value === 'number') return Number.isFinite(value);
  if (typeof value === 'string' || typeof value === 'boolean') return true;
  if (value === null || typeof value !== 'object') return false;
  if (Array.isArray(value)) return value.every((item) => isExpr(item, depth + 1));
  const node = value as Record<string, unknown>;
  if ('op' in node)
    return typeof node.op === 'string' && Array.isArray(node.args) && node.args.every((arg) => isExpr(arg, depth + 1));
  if ('property' in node) return typeof node.property === 'string';
  if ('date' in node) return typeof node.date === 'string' && parseDate(node.date)?.precision === 'day';
  if ('timestamp' in node) return typeof node.timestamp === 'string' && parseInstant(node.timestamp) !== null;
  if ('interval' in node)
    return (
      Array.isArray(node.interval) && node.interval.length === 2 && node.interval.every((end) => isExpr(end, depth + 1))
    );
  if ('bbox' in node && !('type' in node))
    return (
      Array.isArray(node.bbox) && (node.bbox.length === 4 || node.bbox.length === 6) && node.bbox.every(Number.isFinite)
    );
  try {
    return checkedGeometry(node, 'The filter') !== null;
  } catch {
    return false;
  }
}
