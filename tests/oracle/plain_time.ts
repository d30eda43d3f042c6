/**
 * Times as the standard tells them (OGC 21-065r2, 7.4), written without regard to speed: milliseconds since 1970 from
 * `from` up to, but not including, `to`.
 */
export interface Span {
  from: number;
  to: number;
  unit: number;
}
const DAY = 24 * 3600 * 1000;

export const dayOf = (text: string): Span => {
  const from = Date.parse(`${text}T00:00:00Z`);
  return { from, to: from + DAY, unit: DAY };
};

export function momentOf(text: string): Span {
  const from = Date.parse(/(Z|[+-]\d\d:?\d\d)$/.test(text) ? text : `${text}Z`);
  return { from, to: from + 1, unit: 1 };
}

/** Everything that a cell can mean: one span, or a day each of a month or year. */
export function meanings(text: string): Span[] {
  if (text.includes('T')) return [momentOf(text)];
  if (text.length === 10) return [dayOf(text)];
  const [year, month] = text.split('-').map(Number);
  const first = Date.UTC(year, month === undefined ? 0 : month - 1, 1);
  const after = month === undefined ? Date.UTC(year + 1, 0, 1) : Date.UTC(year, month, 1);
  const days: Span[] = [];
  for (let at = first; at < after; at += DAY) days.push({ from: at, to: at + DAY, unit: DAY });
  return days;
}

/** The as-of day moved by so many units. */
export function movedDay(asOf: string, amount: number, unit: string): string {
  const [year, month, day] = asOf.split('-').map(Number);
  const iso = (date: Date) => date.toISOString().slice(0, 10);
  if (unit === 'days' || unit === 'weeks') return iso(new Date(Date.UTC(year, month - 1, day + amount * (unit === 'weeks' ? 7 : 1))));
  const months = amount * (unit === 'years' ? 12 : unit === 'quarters' ? 3 : 1);
  const lastOfMonth = new Date(Date.UTC(year, month + months, 0)).getUTCDate();
  return iso(new Date(Date.UTC(year, month - 1 + months, Math.min(day, lastOfMonth))));
}

const isOne = ({ from, to, unit }: Span) => to - from === unit;
const holds = (a: Span, b: Span) => a.from <= b.from && a.to >= b.to;

export const COMPARE: Record<string, (a: Span, b: Span) => boolean> = {
  '=': (a, b) => holds(a, b) || holds(b, a),
  '<>': (a, b) => !holds(a, b) && !holds(b, a),
  '<': (a, b) => a.to <= b.from,
  '>': (a, b) => b.to <= a.from,
  '<=': (a, b) => !(b.to <= a.from),
  '>=': (a, b) => !(a.to <= b.from),
};

const last = ({ to, unit }: Span) => to - unit;
export const RELATE: Record<string, (a: Span, b: Span) => boolean> = {
  t_before: (a, b) => a.to <= b.from,
  t_after: (a, b) => b.to <= a.from,
  t_disjoint: (a, b) => a.to <= b.from || b.to <= a.from,
  t_intersects: (a, b) => !(a.to <= b.from || b.to <= a.from),
  t_equals: (a, b) => (isOne(a) && isOne(b) ? COMPARE['='](a, b) : a.from === b.from && a.to === b.to),
  t_during: (a, b) => b.from < a.from && a.to < b.to,
  t_contains: (a, b) => a.from < b.from && b.to < a.to,
  t_finishes: (a, b) => a.from > b.from && a.to === b.to,
  t_finishedBy: (a, b) => a.from < b.from && a.to === b.to,
  t_starts: (a, b) => a.from === b.from && a.to < b.to,
  t_startedBy: (a, b) => a.from === b.from && a.to > b.to,
  t_meets: (a, b) => last(a) === b.from,
  t_metBy: (a, b) => a.from === last(b),
  t_overlaps: (a, b) => a.from < b.from && last(a) > b.from && a.to < b.to,
  t_overlappedBy: (a, b) => b.from < a.from && last(b) > a.from && b.to < a.to,
};

const PARTS: Record<string, (date: Date) => number> = {
  YEAR: (date) => date.getUTCFullYear(),
  QUARTER: (date) => Math.floor(date.getUTCMonth() / 3) + 1,
  MONTH: (date) => date.getUTCMonth() + 1,
  WEEKDAY: (date) => date.getUTCDay() || 7,
  HOUR: (date) => date.getUTCHours(),
};
export const isPart = (op: string) => op in PARTS;

/** The part that all meanings share; null where they differ. */
export function partOf(op: string, spans: Span[]): number | null {
  const values = new Set(spans.map(({ from }) => PARTS[op](new Date(from))));
  return values.size === 1 ? [...values][0] : null;
}
