import { pickedCompletion, type Completion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { expectedAt, FUNCTIONS, printFilter, printName, printText, type OperandNames, type ValueCount } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { columnText } from '../../words/cells.ts';
import { counted } from '../../words/numbers.ts';

/** What completion knows of the source that the filter is about. */
export interface Known {
  columns: ColumnInfo[];
  /** Names of the areas. */
  areas: string[];
  /** Names of the sources and sieves. */
  operands: OperandNames;
  /** All values of a column, most frequent first. */
  values: (column: string) => Promise<ValueCount[]>;
  meaning: (column: ColumnInfo, value: string | number | boolean) => string | undefined;
}

/** Above so many distinct numbers, dates or times only the ends of the column are offered. */
const MOST_SCALAR = 200;

/** Values listed at once; what is left out is said. */
const MOST_LISTED = 500;

const OPERATORS: Record<string, { label: string; detail: string; types?: ColumnInfo['type'][] }[]> = {
  compare: [
    { label: '=', detail: 'equal' },
    { label: '<>', detail: 'not equal' },
    { label: '<', detail: 'below', types: ['number', 'date', 'datetime'] },
    { label: '<=', detail: 'at most', types: ['number', 'date', 'datetime'] },
    { label: '>', detail: 'above', types: ['number', 'date', 'datetime'] },
    { label: '>=', detail: 'at least', types: ['number', 'date', 'datetime'] },
    { label: 'BETWEEN', detail: 'from … to, both included', types: ['number'] },
    { label: 'IN (', detail: 'one of', types: ['number', 'text'] },
    { label: 'NOT IN (', detail: 'none of', types: ['number', 'text'] },
    { label: 'LIKE', detail: 'fits a pattern: % any text, _ one character', types: ['text'] },
    { label: 'IS NULL', detail: 'has no value' },
    { label: 'IS NOT NULL', detail: 'has a value' },
  ],
};

/** Completion for the place of the cursor: columns, functions, operators, or the values that the column really has. */
export function completionOf(known: () => Known) {
  return async (context: CompletionContext): Promise<CompletionResult | null> => {
    const before = context.state.sliceDoc(0, context.pos);
    const { from, written, expected } = expectedAt(before);
    const column = 'column' in expected ? known().columns.find(({ name }) => name === expected.column) : undefined;
    if (expected.kind === 'value' && column) {
      const options = await valueOptions(known(), column, expected.pattern, written);
      // A value that is written out already has nothing to be completed.
      const whole = options.length === 1 && options[0].label === written;
      return options.length === 0 || whole ? null : { from, options, filter: false };
    }
    if (expected.kind === 'operator' && column && before.endsWith(' ')) return { from, options: operators(column) };
    if (written === '' && !context.explicit) return null;
    if (expected.kind === 'joint' || (expected.kind === 'operator' && from < context.pos && context.explicit))
      return { from, options: joints };
    if (expected.kind === 'operator' && column) return { from, options: operators(column) };
    return { from, options: [...terms(known()), ...(expected.kind === 'operator' ? joints : [])] };
  };
}

const joints: Completion[] = [
  { label: 'AND', type: 'keyword', detail: 'both hold' },
  { label: 'OR', type: 'keyword', detail: 'one holds at least' },
];

function operators(column: ColumnInfo): Completion[] {
  return OPERATORS.compare
    .filter(({ types }) => !types || types.includes(column.type))
    .map(({ label, detail }, i): Completion => ({
      label,
      detail,
      type: 'keyword',
      boost: -i,
      apply: `${label}${label.endsWith('(') ? '' : ' '}`,
    }))
    .concat(column.type === 'boolean' ? joints : []);
}

/** What a filter or an operand can begin with. */
function terms({ columns, areas, operands }: Known): Completion[] {
  const named = (op: string, names: readonly string[]) =>
    names.map((name): Completion => ({ label: `${op}(${printText(name)})`, type: 'property', detail: op.toLowerCase(), boost: 1 }));
  return [
    ...named('AREA', areas),
    ...named('SOURCE', operands.sources),
    ...named('SIEVE', operands.sieves),
    ...columns.map((column): Completion => ({
      label: printName(column.name),
      displayLabel: column.name,
      type: 'property',
      detail: `${column.type}${column.title === null ? '' : ` · ${column.title}`}`,
      boost: 2,
    })),
    { label: 'geometry', type: 'property', detail: 'the shape', boost: 1 },
    ...FUNCTIONS.map(({ name, meaning }): Completion => ({ label: name, type: 'function', detail: meaning, apply: `${name}(` })),
    ...['NOT ', 'TRUE', 'FALSE', "DATE('", "TIMESTAMP('", 'INTERVAL('].map((label): Completion => ({
      label: label.replace(/['( ]+$/, ''),
      type: 'keyword',
      apply: label,
    })),
  ];
}

async function valueOptions(known: Known, column: ColumnInfo, pattern: boolean, written: string): Promise<Completion[]> {
  const folded = written.toLowerCase();
  const values = column.distinct <= MOST_SCALAR || column.type === 'text' ? await known.values(column.name) : [];
  if (pattern) return patternOptions(values, written);
  const meant = (value: ValueCount['value']) => known.meaning(column, value) ?? '';
  const fitting = values.filter(({ value }) => value !== '' && `${value} ${meant(value)}`.toLowerCase().includes(folded));
  const begins = (entry: ValueCount) => (`${entry.value}`.toLowerCase().startsWith(folded) ? 0 : 1);
  const listed = fitting.sort((a, b) => begins(a) - begins(b) || b.count - a.count).slice(0, MOST_LISTED);
  const options = listed.map(({ value, count, kept }): Completion => {
    const meaning = meant(value);
    const shown = `${columnText(column, value)}${meaning === '' ? '' : ` · ${meaning}`}`;
    return { ...option(shown, `${counted(count)} · ${counted(kept)} kept now`, literal(column, value)) };
  });
  const more = fitting.length - listed.length;
  if (more > 0) options.push({ label: `${counted(more)} more`, detail: 'write on to find them', type: 'constant', apply: () => undefined });
  return [...options, ...endsOf(column, written)];
}

/** Bounds worth naming in a column of many values: its ends, and days counted from the as-of date. */
function endsOf(column: ColumnInfo, written: string): Completion[] {
  if (column.type === 'text' || column.type === 'boolean') return [];
  const ends: Completion[] = [];
  for (const [value, word] of [
    [column.min, 'smallest'],
    [column.max, 'largest'],
  ] as const)
    if (value !== null && String(value).startsWith(written))
      ends.push(
        option(columnText(column, value), column.type === 'number' ? word : word === 'smallest' ? 'first' : 'last', literal(column, value)),
      );
  if (column.type !== 'number' && 'AS_OF'.startsWith(written.toUpperCase()))
    ends.push(
      option('5 years before the as-of date', "AS_OF(-5, 'years')", "AS_OF(-5, 'years')"),
      option('the as-of date', 'AS_OF()', 'AS_OF()'),
    );
  return ends;
}

function patternOptions(values: ValueCount[], written: string): Completion[] {
  const core = written.replaceAll('%', '');
  if (core === '') return [];
  const of = (fits: (value: string) => boolean) =>
    `${counted(values.reduce((sum, { value, count }) => sum + (fits(String(value)) ? count : 0), 0))} features`;
  return [
    option(
      `contains ${core}`,
      of((value) => value.includes(core)),
      printText(`%${core}%`),
    ),
    option(
      `begins with ${core}`,
      of((value) => value.startsWith(core)),
      printText(`${core}%`),
    ),
    option(
      `ends with ${core}`,
      of((value) => value.endsWith(core)),
      printText(`%${core}`),
    ),
  ];
}

function literal(column: ColumnInfo, value: string | number | boolean): string {
  if (column.type === 'date') return printFilter({ date: String(value) });
  if (column.type === 'datetime') return `TIMESTAMP(${printText(String(value))})`;
  return printFilter(value);
}

/** Puts its text in the place of what is written, a closing quote that already stands there included. */
function option(label: string, detail: string, text: string): Completion {
  return {
    label,
    detail,
    type: 'constant',
    apply(view, completion, from, to) {
      const end = text.endsWith("'") && view.state.sliceDoc(to, to + 1) === "'" ? to + 1 : to;
      view.dispatch({
        changes: { from, to: end, insert: text },
        selection: { anchor: from + text.length },
        annotations: pickedCompletion.of(completion),
        userEvent: 'input.complete',
      });
    },
  };
}
