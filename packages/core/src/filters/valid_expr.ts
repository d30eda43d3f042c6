import type { Geometry } from 'geojson';
import { parseDate, parseInstant } from '../time/calendar.ts';
import { checkedGeometry } from '../formats/geojson/geojson_geometry.ts';
import { canonicalExpr, canonicalOp, operatorNamed } from '../operators/operator_registry.ts';
import type { Expr } from './ast.ts';
import { FilterError } from './filter_error.ts';
import { MAX_DEPTH } from './parser.ts';

/**
 * Reads CQL2 JSON (OGC 21-065r2, "CQL2 JSON"). Throws a FilterError that names the place in the tree and what was expected.
 */
export function parseFilterJson(text: string): Expr {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FilterError(`The filter is not valid JSON: ${(error as Error).message}`, null);
  }
  const problem = problemIn(value, '$', 0);
  if (problem) throw new FilterError(problem, null, 'For example: {"op":">","args":[{"property":"height"},12]}');
  return canonicalExpr(value as Expr);
}

/** Whether a value from outside has the shape of an expression; types are the checker's business, spelling `canonicalExpr`'s. */
export function isExpr(value: unknown): value is Expr {
  return problemIn(value, '$', 0) === null;
}

/** What is wrong with the shape of an expression, and where; null when nothing is. */
function problemIn(value: unknown, path: string, depth: number): string | null {
  if (depth > MAX_DEPTH) return `${path}: the filter is nested more than ${MAX_DEPTH} levels deep`;
  if (typeof value === 'number') return Number.isFinite(value) ? null : `${path}: not a finite number`;
  if (typeof value === 'string' || typeof value === 'boolean') return null;
  if (value === null || typeof value !== 'object') return `${path}: ${JSON.stringify(value)} is not an expression`;
  const each = (items: unknown[], name: string) =>
    items.map((item, i) => problemIn(item, `${path}${name}[${i}]`, depth + 1)).find((found) => found !== null) ?? null;
  if (Array.isArray(value)) return each(value, '');
  const node = value as Record<string, unknown>;
  if ('op' in node) {
    if (typeof node.op !== 'string') return `${path}.op: the operator is a text`;
    if (!Array.isArray(node.args)) return `${path}.args: “${node.op}” needs a list of arguments`;
    return arityProblem(node.op, node.args, path) ?? each(node.args, '.args');
  }
  if ('property' in node) return typeof node.property === 'string' ? null : `${path}.property: the name is a text`;
  if ('date' in node)
    return typeof node.date === 'string' && parseDate(node.date)?.precision === 'day' ? null : `${path}.date: write it as in "2024-05-31"`;
  if ('timestamp' in node)
    return typeof node.timestamp === 'string' && parseInstant(node.timestamp)
      ? null
      : `${path}.timestamp: write it as in "2024-05-31T12:30:00Z"`;
  if ('interval' in node) {
    if (!Array.isArray(node.interval) || node.interval.length !== 2) return `${path}.interval: an interval has two ends`;
    return each(node.interval, '.interval') ?? intervalProblem(node.interval, path);
  }
  if ('bbox' in node && !('type' in node)) {
    const { bbox } = node;
    const good = Array.isArray(bbox) && (bbox.length === 4 || bbox.length === 6) && bbox.every(Number.isFinite);
    return good ? null : `${path}.bbox: a box is 4 or 6 numbers`;
  }
  return geometryProblem(node, path);
}

function arityProblem(name: string, args: unknown[], path: string): string | null {
  const op = canonicalOp(name);
  const operator = operatorNamed(op);
  // What stands beside the standard's own schema is the checker's business.
  const [least, most] = operator?.standard ? operator.arity : [0, Infinity];
  if (args.length < least || args.length > most)
    return `${path}.args: “${op}” takes ${least === most ? least : `at least ${least}`} arguments, not ${args.length}`;
  return op === 'in' && !Array.isArray(args[1]) ? `${path}.args[1]: “in” takes a list of values` : null;
}

function intervalProblem(ends: unknown[], path: string): string | null {
  const bad = ends.findIndex((end) => typeof end === 'string' && end !== '..' && parseDate(end)?.precision !== 'day' && !parseInstant(end));
  return bad < 0 ? null : `${path}.interval[${bad}]: an end is a date, a date-time or ".."`;
}

function geometryProblem(node: Record<string, unknown>, path: string): string | null {
  try {
    const geometry = checkedGeometry(node, path);
    if (geometry === null) return `${path}: not an expression`;
    if (isEmpty(geometry)) return `${path}: an empty geometry cannot be used in a filter`;
    return openRing(geometry) ? `${path}: a ring is not closed or has fewer than four positions` : null;
  } catch (error) {
    return (error as Error).message;
  }
}

function isEmpty(geometry: Geometry): boolean {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.length === 0 || geometry.geometries.some(isEmpty);
  return geometry.coordinates.length === 0;
}

function openRing(geometry: Geometry): boolean {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.some(openRing);
  const polygons = geometry.type === 'Polygon' ? [geometry.coordinates] : geometry.type === 'MultiPolygon' ? geometry.coordinates : [];
  return polygons.flat().some((ring) => {
    const last = ring[ring.length - 1];
    return ring.length < 4 || ring[0][0] !== last[0] || ring[0][1] !== last[1];
  });
}
