import {
  checkBoxes,
  call,
  convertGeometry,
  CRS84,
  exchanged,
  FilterError,
  GEOMETRY_NAME,
  isBox,
  inSystem,
  isGeographic,
  isGeometry,
  parseDate,
  parseInstant,
  parseFilter,
  parseFilterJson,
  property,
  type ColumnSchema,
  type Crs,
  type Expr,
} from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { crsNamed, northFirst } from '../crs/epsg.ts';

/** A request that cannot be answered as it is put (HTTP status 400). */
export class BadRequest extends Error {}

export const CRS84_URI = 'http://www.opengis.net/def/crs/OGC/1.3/CRS84';
const EPSG_URI = 'http://www.opengis.net/def/crs/EPSG/0/';

/** A system as a feed's parameters name it, with the order of its axes by its definition. */
export interface FeedCrs {
  uri: string;
  crs: Crs;
  /** The first axis points north, as in EPSG:4326. */
  northFirst: boolean;
}

export const FEED_CRS84: FeedCrs = { uri: CRS84_URI, crs: CRS84, northFirst: false };

/** The systems that a feed gives coordinates in: longitude and latitude, WGS 84, web maps, and that of the source. */
export function feedSystems(source: Crs): FeedCrs[] {
  const codes = ['4326', '3857', ...(/^EPSG:(\d+)$/.exec(source.name)?.slice(1) ?? [])];
  return [
    FEED_CRS84,
    ...[...new Set(codes)].map((code) => ({ uri: `${EPSG_URI}${code}`, crs: crsNamed(`EPSG:${code}`), northFirst: northFirst(code) })),
  ];
}

export function storageUri(source: Crs): string {
  const code = /^EPSG:(\d+)$/.exec(source.name)?.[1];
  return code ? `${EPSG_URI}${code}` : CRS84_URI;
}

/** What is asked of the items of a feed. */
export interface ItemsQuery {
  limit: number;
  offset: number;
  /** All that the parameters narrow, in longitude and latitude; null where none does. */
  filter: Expr | null;
  crs: FeedCrs;
  html: boolean;
}

export const MOST_ITEMS = 10_000;
const USUAL_ITEMS = 100;

/** Parameters of the items of OGC 17-069r4 (Part 1), 18-058r1 (Part 2) and 19-079r2 (Part 3). */
export const KNOWN = ['limit', 'offset', 'bbox', 'bbox-crs', 'datetime', 'crs', 'filter', 'filter-lang', 'filter-crs', 'f'];

/**
 * Reads the parameters of a request for items. Throws BadRequest for one that is unknown or has an invalid value (requirements
 * query-param-unknown and query-param-invalid of Part 1).
 */
export function itemsQuery(query: URLSearchParams, columns: readonly ColumnSchema[], systems: readonly FeedCrs[]): ItemsQuery {
  // A column that is called as a parameter is asked for in the filter.
  const byName = columns.filter(({ name }) => !KNOWN.includes(name));
  const names = byName.map(({ name }) => name);
  for (const name of query.keys()) {
    if (KNOWN.includes(name) || names.includes(name)) continue;
    throw new BadRequest(`There is no parameter ${name}; there are ${[...KNOWN, ...names].join(', ')}`);
  }
  for (const name of KNOWN) if (query.getAll(name).length > 1) throw new BadRequest(`${name} is given more than once`);
  const conditions: Expr[] = [];
  const bbox = query.get('bbox');
  if (bbox !== null) conditions.push(boxCondition(bbox, systemOf(query, 'bbox-crs', systems)));
  const datetime = query.get('datetime');
  if (datetime !== null) {
    const condition = timeCondition(datetime, columns);
    if (condition !== null) conditions.push(condition);
  }
  for (const column of byName) for (const value of query.getAll(column.name)) conditions.push(valueCondition(column, value));
  const filter = filterOf(query, systems);
  if (filter !== null) conditions.push(filter);
  return {
    limit: Math.min(MOST_ITEMS, wholeOf(query, 'limit', 1, USUAL_ITEMS)),
    offset: wholeOf(query, 'offset', 0, 0),
    filter: conditions.length === 0 ? null : conditions.length === 1 ? conditions[0] : call('and', ...conditions),
    crs: systemOf(query, 'crs', systems),
    html: formatOf(query) === 'html',
  };
}

export function formatOf(query: URLSearchParams): 'json' | 'html' | null {
  const f = query.get('f');
  if (f === null || f === 'json' || f === 'html') return f;
  throw new BadRequest(`f is json or html, not ${f}`);
}

function wholeOf(query: URLSearchParams, name: string, least: number, usual: number): number {
  const text = query.get(name);
  if (text === null) return usual;
  if (!/^\d{1,9}$/.test(text) || Number(text) < least) throw new BadRequest(`${name} is a whole number from ${least} on, not ${text}`);
  return Number(text);
}

export function systemOf(query: URLSearchParams, name: string, systems: readonly FeedCrs[]): FeedCrs {
  const uri = query.get(name);
  if (uri === null) return FEED_CRS84;
  const system = systems.find((one) => one.uri === uri);
  if (!system) throw new BadRequest(`${name} is none of ${systems.map((one) => one.uri).join(', ')}`);
  return system;
}

/** Four numbers, or six with heights, which do not matter; one over the 180° meridian is two. */
function boxCondition(text: string, system: FeedCrs): Expr {
  const numbers = text.split(',').map((part) => (part.trim() === '' ? NaN : Number(part)));
  if ((numbers.length !== 4 && numbers.length !== 6) || numbers.some((number) => !Number.isFinite(number)))
    throw new BadRequest(`bbox is four numbers (or six with heights), not ${text}`);
  const six = numbers.length === 6;
  let [x1, y1] = numbers;
  let [x2, y2] = six ? numbers.slice(3) : numbers.slice(2);
  if (system.northFirst) [x1, y1, x2, y2] = [y1, x1, y2, x2];
  if (y1 > y2) throw new BadRequest('bbox has its lower edge above its upper one');
  const geographic = isGeographic(system.crs);
  if (geographic && (Math.abs(y1) > 90 || Math.abs(y2) > 90 || Math.abs(x1) > 180 || Math.abs(x2) > 180))
    throw new BadRequest('bbox goes beyond 180 degrees of longitude or 90 of latitude');
  if (x1 > x2 && !geographic) throw new BadRequest('bbox has its left edge right of its right one');
  const meets = (west: number, east: number) =>
    call('s_intersects', property(GEOMETRY_NAME), located({ bbox: [west, y1, east, y2] }, { ...system, northFirst: false }));
  return x1 > x2 ? call('or', meets(x1, 180), meets(-180, x2)) : meets(x1, x2);
}

/** The first column of dates or date-times is the time of a feature; without one the parameter selects nothing out. */
export function timeColumn(columns: readonly ColumnSchema[]): ColumnSchema | null {
  return columns.find(({ type }) => type === 'date' || type === 'datetime') ?? null;
}

function timeCondition(text: string, columns: readonly ColumnSchema[]): Expr | null {
  const parts = text.split('/');
  const open = (part: string) => part === '..' || part === '';
  if (parts.length > 2 || parts.some((part) => !open(part) && !isTemporalText(part)) || (parts.length === 1 && open(parts[0])))
    throw new BadRequest(`datetime is an instant (2024-05-31 or 2024-05-31T12:00:00Z) or an interval (2024-05-01/..), not ${text}`);
  const [from, to = from] = parts;
  if (!open(from) && !open(to) && from.slice(0, 10) > to.slice(0, 10)) throw new BadRequest('datetime ends before it begins');
  const column = timeColumn(columns);
  if (!column || (open(from) && open(to))) return null;
  // A feature without a time is not selected out; whole days of a date-time column are taken from their beginning to their end.
  const subject = property(column.name);
  const literal = (part: string, end: boolean): Expr => {
    if (column.type === 'date') return { date: part.slice(0, 10) };
    return { timestamp: part.length > 10 ? part : `${part}T${end ? '23:59:59.999' : '00:00:00'}Z` };
  };
  const bounds = [
    ...(open(from) ? [] : [call('>=', subject, literal(from, false))]),
    ...(open(to) ? [] : [call('<=', subject, literal(to, true))]),
  ];
  return call('or', call('isNull', subject), bounds.length === 1 ? bounds[0] : call('and', ...bounds));
}

function valueCondition({ name, type }: ColumnSchema, text: string): Expr {
  const wrong = (what: string) => new BadRequest(`${name} is ${what}, not ${text}`);
  const subject = property(name);
  switch (type) {
    case 'number':
      if (text.trim() === '' || !Number.isFinite(Number(text))) throw wrong('a number');
      return call('=', subject, Number(text));
    case 'boolean':
      if (text !== 'true' && text !== 'false') throw wrong('true or false');
      return call('=', subject, text === 'true');
    case 'date':
      if (!/^\d{4}-\d\d-\d\d$/.test(text) || !isTemporalText(text)) throw wrong('a date as in 2024-05-31');
      return call('=', subject, { date: text });
    case 'datetime':
      if (text.length <= 10 || !isTemporalText(text)) throw wrong('a date and time as in 2024-05-31T12:00:00Z');
      return call('=', subject, { timestamp: text });
    case 'text':
      return call('=', subject, text);
  }
}

const isTemporalText = (text: string) => parseDate(text)?.precision === 'day' || parseInstant(text) !== null;

/**
 * An expression whose geometries are in a system, axes in the order of its definition, with east first and the name of the
 * system: where the source is in it too, nothing is moved.
 */
function located(expr: Expr, { crs, northFirst: swapped }: FeedCrs): Expr {
  const turned = !swapped
    ? expr
    : exchanged(expr, (node) => (isGeometry(node) ? turnedGeometry(node) : isBox(node) ? { bbox: turnedBox(node.bbox) } : null));
  if (crs.definition === null) return turned;
  // A box with its corners exchanged would be another shape once it is one of corners.
  checkBoxes(turned, !isGeographic(crs));
  return inSystem(turned, crs);
}

const turnedBox = (box: number[]) =>
  box.length === 6 ? [box[1], box[0], box[2], box[4], box[3], box[5]] : [box[1], box[0], box[3], box[2]];

/** The same geometry with its first two coordinates exchanged. */
export function turnedGeometry(geometry: Geometry): Geometry {
  return convertGeometry(geometry, (x, y) => [y, x], Infinity);
}

function filterOf(query: URLSearchParams, systems: readonly FeedCrs[]): Expr | null {
  const text = query.get('filter');
  const language = query.get('filter-lang') ?? 'cql2-text';
  if (language !== 'cql2-text' && language !== 'cql2-json') throw new BadRequest(`filter-lang is cql2-text or cql2-json, not ${language}`);
  const system = systemOf(query, 'filter-crs', systems);
  if (text === null) return null;
  try {
    const expr = language === 'cql2-json' ? parseFilterJson(text) : parseFilter(text).expr;
    return located(expr, system);
  } catch (error) {
    if (error instanceof FilterError) throw new BadRequest(`filter: ${error.line}`);
    throw error;
  }
}
