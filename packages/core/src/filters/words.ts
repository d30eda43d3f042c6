import { formatDay, parseDate, shiftDay } from '../time/calendar.ts';
import type { Comparison, Expr } from './ast.ts';
import type { CalendarPart } from '../time/calendar_part.ts';
import { columnInWords, dayInWords, numberInWords, quoted, shapeInWords, unitInName, type Wording } from './phrases.ts';
import { formOfExpr, isSpaceForm, placeOf, type DayOperand, type DayTest, type Form, type SpanRelation } from './form.ts';
import { AREA_RELATIONS } from '../operators/operator_registry.ts';
import { exprInProse } from './prose.ts';
import { type Group, type TreeNode } from './tree.ts';

const COMPARE_WORDS: Record<Comparison, (value: string) => string> = {
  '=': (v) => `is ${v}`,
  '<>': (v) => `is not ${v}`,
  '<': (v) => `below ${v}`,
  '<=': (v) => `${v} or less`,
  '>': (v) => `above ${v}`,
  '>=': (v) => `${v} or more`,
};

const VERSUS: Record<Comparison, (other: string) => string> = {
  ...COMPARE_WORDS,
  '=': (other) => `is the same as ${other}`,
  '<>': (other) => `is not the same as ${other}`,
  '<=': (other) => `not above ${other}`,
  '>=': (other) => `not below ${other}`,
};
const DATE_VERSUS: typeof VERSUS = {
  ...VERSUS,
  '<': (other) => `before ${other}`,
  '<=': (other) => `not after ${other}`,
  '>': (other) => `after ${other}`,
  '>=': (other) => `not before ${other}`,
};

const DAY_WORDS: Record<DayTest, string> = {
  before: 'before',
  after: 'after',
  on: 'on',
  from: 'on or after',
  until: 'on or before',
};

/** A condition in plain words: what is tested (`subject`), how (`rest`), and what a relative date comes to (`note`). */
export interface ConditionWords {
  subject: string;
  rest: string;
  note: string | null;
}

/** Says a condition in plain words. */
export function conditionInWords(expr: Expr, wording: Wording): ConditionWords {
  const form = formOfExpr(expr, wording.columns);
  const plain = formInWords(form, wording);
  const words = form.could ? { ...plain, rest: `could be ${plain.rest}` } : plain;
  return form.blanks && form.kind !== 'blank' ? { ...words, rest: `${words.rest} or blank` } : words;
}

function formInWords(form: Form, wording: Wording): ConditionWords {
  const label = (column: string) => (wording.label ?? columnInWords)(column);
  const valued = (column: string, value: string | number) => {
    const meaning = wording.meaning?.(column, value);
    return meaning === undefined ? valueInWords(value) : `${valueInWords(value)} ${meaning}`;
  };
  const say = (subject: string, rest: string, note: string | null = null): ConditionWords => ({ subject, rest, note });
  switch (form.kind) {
    case 'compare':
      return say(label(form.column), COMPARE_WORDS[form.op](withUnit(valued(form.column, form.value), form.column)));
    case 'between':
      return say(
        label(form.column),
        `${form.outside ? 'not ' : ''}between ${numberInWords(form.low)} and ${withUnit(numberInWords(form.high), form.column)}`,
      );
    case 'sieve':
      return say(form.outside ? 'Not kept by' : 'Also kept by', `the sieve ${form.name}`);
    case 'values':
      if (form.values.length === 0) return say(label(form.column), `is ${form.none ? 'none' : 'one'} of no values`);
      return say(
        label(form.column),
        `is ${form.none ? 'none of' : form.values.length > 1 ? 'one of' : ''} ${listInWords(form.values.map((value) => valued(form.column, value)))}`.replace(
          / +/g,
          ' ',
        ),
      );
    case 'text': {
      const verb = {
        contains: form.not ? 'does not contain' : 'contains',
        starts: form.not ? 'does not start with' : 'starts with',
        ends: form.not ? 'does not end with' : 'ends with',
        pattern: form.not ? 'does not fit the pattern' : 'fits the pattern',
      }[form.test];
      const notes = [...(form.anyCase ? ['capitals and small letters alike'] : []), ...(form.anyAccents ? ['accents left aside'] : [])];
      return say(label(form.column), `${verb} ${quoted(form.text)}`, notes.length > 0 ? notes.join(', ') : null);
    }
    case 'versus': {
      const { times, plus } = form;
      const sum = plus === 0 ? '' : plus < 0 ? ` − ${numberInWords(-plus)}` : ` + ${numberInWords(plus)}`;
      const other = inSentence(label(form.other)) + (times === 1 ? '' : ` × ${numberInWords(times)}`) + sum;
      const dated = ['date', 'datetime'].includes(wording.columns.find(({ name }) => name === form.column)?.type ?? '');
      return say(label(form.column), (dated ? DATE_VERSUS : VERSUS)[form.op](other));
    }
    case 'yesno':
      return say(label(form.column), form.value ? 'is yes' : 'is no');
    case 'blank':
      return say(label(form.column), form.not ? 'is not blank' : 'is blank');
    case 'day':
      return say(label(form.column), `${DAY_WORDS[form.test]} ${dayInWords(dayOf(form.day, wording.asOf))}`, shiftInWords(form.day));
    case 'days': {
      const not = form.outside ? 'not ' : '';
      if (form.from && form.to) return say(label(form.column), `${not}from ${dayInWords(form.from)} to ${dayInWords(form.to)}`);
      if (form.from) return say(label(form.column), `${not}on or after ${dayInWords(form.from)}`);
      return say(label(form.column), form.to ? `${not}on or before ${dayInWords(form.to)}` : `${not}at any time`);
    }
    case 'recent': {
      const unit = form.amount === 1 ? form.unit.slice(0, -1) : form.unit;
      const amount = form.amount === 1 ? '' : `${form.amount} `;
      const [from, to] =
        form.side === 'last'
          ? [shiftDay(wording.asOf, -form.amount, form.unit) + 1, wording.asOf]
          : [wording.asOf + 1, shiftDay(wording.asOf, form.amount, form.unit)];
      return say(
        label(form.column),
        `${form.outside ? 'not ' : ''}in the ${form.side} ${amount}${unit}`,
        `${dayInWords(formatDay(from))} to ${dayInWords(formatDay(to))}`,
      );
    }
    case 'span': {
      const [from, to] = [form.from, form.to].map((day) => day && dayInWords(day));
      const period = from && to ? `${from} to ${to}` : from ? `the time from ${from} on` : to ? `the time up to ${to}` : 'any time';
      const end = inSentence(label(form.end));
      const note = form.open ? `a blank ${end} is still open` : null;
      return say(`${label(form.start)} – ${end}`, `${SPAN_WORDS[form.relation]} ${period}`, note);
    }
    case 'calendar':
      return say(label(form.column), `${form.none ? 'not ' : ''}${partsInWords(form.part, form.values)}`);
    case 'area':
      return form.outside && form.relation === 's_intersects'
        ? say('Outside', shapeInWords(form.geometry))
        : say(
            form.outside ? `Not ${inSentence(relationInWords(form, wording))}` : relationInWords(form, wording),
            shapeInWords(form.geometry),
            areaWords(form).note ?? null,
          );
    case 'centre':
      return say(form.outside ? 'Centre outside' : 'Centre in', shapeInWords(form.geometry));
    case 'share': {
      const share = form.percent === 100 ? 'all' : `at least ${numberInWords(form.percent)} %`;
      return say(`${form.outside ? 'Without' : 'With'} ${share} of it in`, shapeInWords(form.geometry));
    }
    case 'nearest':
      return say(
        `${form.outside ? 'Not among' : 'Among'} the ${form.amount === 1 ? '' : `${numberInWords(form.amount)} `}nearest to`,
        shapeInWords(form.geometry),
        'of all features of the source; measured on the ellipsoid',
      );
    case 'near':
    case 'radius':
      return say(
        form.outside ? 'Beyond' : 'Within',
        `${numberInWords(form.distance)} ${form.unit} of ${shapeInWords(placeOf(form))}`,
        form.plane ? 'measured in the plane of the coordinates' : 'measured on the ellipsoid',
      );
    case 'other':
      return say('', capitalised(exprInProse(form.expr, wording)));
  }
}

/** How the time between two columns lies to a period. */
export const SPAN_WORDS: Record<SpanRelation, string> = {
  intersects: 'overlaps',
  during: 'lies inside',
  contains: 'goes beyond both ends of',
  before: 'ends before',
  after: 'begins after',
  disjoint: 'lies apart from',
};

export const MONTH_NAMES = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];
export const WEEKDAY_NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

function partsInWords(part: CalendarPart, values: number[]): string {
  const named = (names: string[]) => listInWords(values.map((value) => names[value - 1] ?? String(value)));
  switch (part) {
    case 'year':
      return `in ${listInWords(values.map(String))}`;
    case 'quarter':
      return `in the ${named(['1st', '2nd', '3rd', '4th'])} quarter`;
    case 'month':
      return `in ${named(MONTH_NAMES)}`;
    case 'day':
      return `on day ${listInWords(values.map(String))} of the month`;
    case 'weekday':
      return `on a ${named(WEEKDAY_NAMES)}`;
    case 'hour':
      return `at ${listInWords(values.map(String))} o’clock`;
  }
}

const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
/** A sentence goes on with it: the first letter small unless what follows shows that it is a short form (ID, GPS). */
const inSentence = (text: string) => (/^[^\p{L}]|^.\p{Lu}/u.test(text) ? text : text.charAt(0).toLowerCase() + text.slice(1));

const areaWords = ({ relation }: Form & { kind: 'area' }) => AREA_RELATIONS.find(({ name }) => name === relation)!;

function relationInWords(form: Form & { kind: 'area' }, { points }: Wording): string {
  const { relation, geometry } = form;
  const layer = 'op' in geometry && (geometry.op === 'SOURCE' || geometry.op === 'SIEVE');
  if (relation !== 's_intersects' || layer || ('type' in geometry && !/Polygon$/.test(geometry.type))) return areaWords(form).words;
  return points ? 'In' : 'Reaching into';
}

/**
 * The day that an operand means, as ISO text.
 * @param asOf days since 1970-01-01
 */
export function dayOf(day: DayOperand, asOf: number): string {
  return 'date' in day ? day.date : formatDay(shiftDay(asOf, day.shift, day.unit));
}

function shiftInWords(day: DayOperand): string | null {
  if ('date' in day) return null;
  if (day.shift === 0) return 'the as-of date';
  const amount = Math.abs(day.shift);
  return `${amount} ${amount === 1 ? day.unit.slice(0, -1) : day.unit} ${day.shift < 0 ? 'before' : 'after'} the as-of date`;
}

function withUnit(value: string, column: string): string {
  return `${value} ${unitInName(column)}`.trim();
}

function valueInWords(value: number | string): string {
  return typeof value === 'number' ? numberInWords(value) : quotedIfOdd(value);
}

function quotedIfOdd(text: string): string {
  return text === '' || text !== text.trim() || text.length > 40 ? quoted(text) : text;
}

function listInWords(items: string[]): string {
  const shown = items.length > 6 ? [...items.slice(0, 5), `${items.length - 5} others`] : items;
  if (shown.length <= 1) return shown.join('');
  return `${shown.slice(0, -1).join(', ')} or ${shown[shown.length - 1]}`;
}

/** A stretch of a sentence; values are strong, joining words plain. */
export interface Piece {
  text: string;
  strong: boolean;
}

function join(children: Piece[][], combine: Group['combine'], commas: boolean): Piece[] {
  const last = children.length - 1;
  return children.flatMap((child, i) => {
    const joint = combine === 'none' || (commas && i < last) ? ', ' : combine === 'any' ? ' or ' : ' and ';
    return i === 0 ? child : [{ text: joint, strong: false }, ...child];
  });
}

function phraseOf(node: TreeNode, wording: Wording, nested: boolean): Piece[] {
  if (node.off) return [];
  if (node.kind === 'condition') {
    const { subject, rest } = conditionInWords(node.expr, wording);
    return subject === ''
      ? [{ text: inSentence(rest), strong: true }]
      : [
          { text: `${inSentence(subject)} `, strong: false },
          { text: rest, strong: true },
        ];
  }
  const children = node.children.map((child) => phraseOf(child, wording, true)).filter((pieces) => pieces.length > 0);
  if (children.length === 0) return [];
  const lead = node.combine === 'none' ? [{ text: 'none of: ', strong: false }] : [];
  const pieces = [...lead, ...join(children, node.combine, node.combine === 'all' && children.length > 2 && !nested)];
  const brackets = nested && (children.length > 1 || node.combine === 'none');
  return brackets ? [{ text: '(', strong: false }, ...pieces, { text: ')', strong: false }] : pieces;
}

/** The whole tree as one phrase, switched-off nodes left out; empty when nothing narrows. */
export function treeInWords(node: TreeNode, wording: Wording): string {
  return textOf(phraseOf(node, wording, false));
}

const textOf = (pieces: Piece[]) => pieces.map(({ text }) => text).join('');

/** What a condition needs before it in a sentence about features: trees *with* girth…, *where* a + b is…, *in* an area. */
function leadOf(node: TreeNode, wording: Wording): 'with ' | 'where ' | '' {
  if (node.kind === 'group') {
    const first = node.children.find((child) => phraseOf(child, wording, true).length > 0);
    return first ? leadOf(first, wording) : '';
  }
  const form = formOfExpr(node.expr, wording.columns);
  if (form.kind === 'other') return 'where ';
  if (form.kind === 'centre' || form.kind === 'nearest') return 'with ';
  return isSpaceForm(form) ? '' : 'with ';
}

/** The features and what is asked of them: "Trees with girth 180 cm or more and in the drawn area"; "All trees". */
export function sentenceOf(name: string, tree: Group, wording: Wording): Piece[] {
  const active = tree.combine === 'all' ? tree.children : [tree];
  let lead = '';
  const parts = active.flatMap((child) => {
    const phrase = phraseOf(child, wording, true);
    if (phrase.length === 0) return [];
    const needed = leadOf(child, wording);
    const pieces = needed !== '' && needed !== lead ? [{ text: needed, strong: false }, ...phrase] : phrase;
    lead = needed;
    return [pieces];
  });
  if (parts.length === 0)
    return [
      { text: 'All ', strong: false },
      { text: inSentence(name), strong: true },
    ];
  return [{ text: `${name} `, strong: false }, ...join(parts, 'all', parts.length > 2)];
}

/** Day number of an ISO date that is known to be valid. */
export function dayNumberOf(iso: string): number {
  return parseDate(iso)!.day;
}
