import { calendarPart, escapeLike, formatDay, partOfInstant, type CalendarPart, type Form, type TextTest } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** A way to test a column, as the editor lists it. */
export interface TestChoice {
  key: string;
  title: string;
}

const NUMBER: TestChoice[] = [
  { key: 'between', title: 'between' },
  { key: '>=', title: 'or more' },
  { key: '<=', title: 'or less' },
  { key: '>', title: 'above' },
  { key: '<', title: 'below' },
  { key: '=', title: 'is exactly' },
  { key: '<>', title: 'is not' },
  { key: 'outside', title: 'not between' },
  { key: 'one', title: 'is one of' },
  { key: 'none', title: 'is none of' },
];
const TEXT: TestChoice[] = [
  { key: 'one', title: 'is one of' },
  { key: 'none', title: 'is none of' },
  { key: 'contains', title: 'contains' },
  { key: 'not-contains', title: 'does not contain' },
  { key: 'starts', title: 'starts with' },
  { key: 'ends', title: 'ends with' },
  { key: 'pattern', title: 'fits the pattern' },
  { key: 'not-pattern', title: 'does not fit the pattern' },
  { key: '=', title: 'is exactly' },
  { key: '<>', title: 'is not' },
];
const BOOLEAN: TestChoice[] = [
  { key: 'yes', title: 'is yes' },
  { key: 'no', title: 'is no' },
];
const DATE: TestChoice[] = [
  { key: 'days', title: 'from … to' },
  { key: 'before', title: 'before' },
  { key: 'after', title: 'after' },
  { key: 'on', title: 'on' },
  { key: 'from', title: 'on or after' },
  { key: 'until', title: 'on or before' },
  { key: 'last', title: 'in the last' },
  { key: 'next', title: 'in the next' },
  { key: 'not-last', title: 'not in the last' },
  { key: 'not-days', title: 'not from … to' },
];
const CALENDAR: TestChoice[] = [
  { key: 'year', title: 'in the years' },
  { key: 'quarter', title: 'in the quarters' },
  { key: 'month', title: 'in the months' },
  { key: 'weekday', title: 'on the weekdays' },
  { key: 'not-year', title: 'not in the years' },
  { key: 'not-month', title: 'not in the months' },
  { key: 'not-weekday', title: 'not on the weekdays' },
];
const HOURS: TestChoice[] = [
  { key: 'hour', title: 'at the hours (UTC)' },
  { key: 'not-hour', title: 'not at the hours (UTC)' },
];
const BLANK: TestChoice[] = [
  { key: 'blank', title: 'is blank' },
  { key: 'not-blank', title: 'is not blank' },
];

const VERSUS: TestChoice = { key: 'versus', title: 'against another column' };
/** Other columns that a column can be compared with. */
export const comparableWith = (column: ColumnInfo, columns: readonly ColumnInfo[]): ColumnInfo[] =>
  column.type === 'boolean' ? [] : columns.filter(({ name, type, hidden }) => type === column.type && name !== column.name && !hidden);

/** @param columns of its source */
export function testsOf(column: ColumnInfo, columns: readonly ColumnInfo[]): TestChoice[] {
  const own = {
    number: NUMBER,
    text: TEXT,
    boolean: BOOLEAN,
    date: [...DATE, ...CALENDAR],
    datetime: [...DATE, ...CALENDAR, ...HOURS],
  }[column.type];
  return [...own, ...(comparableWith(column, columns).length > 0 ? [VERSUS] : []), ...BLANK];
}

/** Which of the tests a form is. */
export function testKeyOf(form: Form): string {
  switch (form.kind) {
    case 'compare':
      return form.op;
    case 'between':
      return form.outside ? 'outside' : 'between';
    case 'values':
      return form.none ? 'none' : 'one';
    case 'text':
      return (form.not ? 'not-' : '') + form.test;
    case 'yesno':
      return form.value ? 'yes' : 'no';
    case 'blank':
      return form.not ? 'not-blank' : 'blank';
    case 'day':
      return form.test;
    case 'days':
      return form.outside ? 'not-days' : 'days';
    case 'recent':
      return (form.outside ? 'not-' : '') + form.side;
    case 'versus':
      return 'versus';
    case 'calendar':
      return (form.none ? 'not-' : '') + form.part;
    default:
      return '';
  }
}

/** The form for another test of the same column, taking over what fits from the one before. */
export function formFor(key: string, column: ColumnInfo, before: Form, columns: readonly ColumnInfo[]): Form {
  const base = { column: column.name, blanks: before.blanks && !key.includes('blank') };
  const part = calendarPart(key.replace('not-', ''));
  if (part) return { ...base, kind: 'calendar', part, values: partsOf(before, part, column), none: key.startsWith('not-') };
  switch (key) {
    case 'blank':
    case 'not-blank':
      return { ...base, kind: 'blank', not: key === 'not-blank', empty: column.empty > 0 };
    case 'yes':
    case 'no':
      return { ...base, kind: 'yesno', value: key === 'yes' };
    case 'one':
    case 'none':
      // Leaving values out is seldom meant to leave the blanks out with them.
      return {
        ...base,
        kind: 'values',
        values: valuesOf(before),
        none: key === 'none',
        blanks: key === 'none' ? column.nulls > 0 : base.blanks,
      };
    case 'between':
    case 'outside': {
      const [low, high] = boundsOf(before, column);
      return { ...base, kind: 'between', low, high, outside: key === 'outside' };
    }
    case 'contains':
    case 'not-contains':
    case 'starts':
    case 'ends':
    case 'pattern':
    case 'not-pattern': {
      const test = key.replace('not-', '') as TextTest;
      return {
        ...{ ...base, kind: 'text', test, not: key.startsWith('not-') },
        // A pattern begins as what any text fits that is not empty.
        text: test === 'pattern' ? escapeLike(textOf(before)) || '_%' : textOf(before),
        anyCase: before.kind === 'text' ? before.anyCase : true,
        ...(before.kind === 'text' && before.anyAccents ? { anyAccents: true } : {}),
      };
    }
    case 'versus':
      return { ...base, kind: 'versus', op: '>', other: comparableWith(column, columns)[0].name, times: 1, plus: 0 };
    case 'before':
    case 'after':
    case 'on':
    case 'from':
    case 'until':
      return {
        ...base,
        kind: 'day',
        test: key,
        day: before.kind === 'day' ? before.day : { date: dayOfForm(before, column) },
      };
    case 'days':
    case 'not-days': {
      const kept = before.kind === 'days' ? before : { from: dayOfForm(before, column), to: null };
      return { ...base, kind: 'days', from: kept.from, to: kept.to, outside: key === 'not-days' };
    }
    case 'last':
    case 'next':
    case 'not-last':
      return {
        ...base,
        kind: 'recent',
        side: key === 'next' ? 'next' : 'last',
        amount: before.kind === 'recent' ? before.amount : 12,
        unit: before.kind === 'recent' ? before.unit : 'months',
        outside: key === 'not-last',
      };
  }
  if (column.type === 'text') return { ...base, kind: 'compare', op: key as '=', value: textOf(before) };
  const [low, high] = boundsOf(before, column);
  return { ...base, kind: 'compare', op: key as '=', value: key.startsWith('<') && key !== '<>' ? high : low };
}

/** What a new calendar condition begins with: the last year there is, the month or weekday of the last day. */
function partsOf(before: Form, part: CalendarPart, column: ColumnInfo): number[] {
  if (before.kind === 'calendar' && before.part === part) return before.values;
  return [part === 'hour' ? 12 : partOfInstant(part, Date.parse(dayOfForm(before, column)))];
}

function valuesOf(form: Form): (string | number)[] {
  if (form.kind === 'values') return form.values;
  if (form.kind === 'compare' && form.value !== '') return [form.value];
  return [];
}

function boundsOf(form: Form, column: ColumnInfo): [number, number] {
  const [min, max] = [Number(column.min ?? 0), Number(column.max ?? 0)];
  if (form.kind === 'between') return [form.low, form.high];
  if (form.kind === 'compare' && typeof form.value === 'number')
    return form.op.startsWith('<') && form.op !== '<>' ? [min, form.value] : [form.value, max];
  return [min, max];
}

function textOf(form: Form): string {
  // Of a pattern what is left without its wildcards.
  if (form.kind === 'text') return form.test === 'pattern' ? form.text.replace(/\\(.)|[%_]/gu, '$1') : form.text;
  if (form.kind === 'compare' && typeof form.value === 'string') return form.value;
  return form.kind === 'values' && typeof form.values[0] === 'string' ? form.values[0] : '';
}

function dayOfForm(form: Form, column: ColumnInfo): string {
  if (form.kind === 'day' && 'date' in form.day) return form.day.date;
  if (form.kind === 'days' && (form.from ?? form.to) !== null) return (form.from ?? form.to)!;
  return typeof column.max === 'string' ? column.max.slice(0, 10) : formatDay(Math.floor(Date.now() / 86_400_000));
}
