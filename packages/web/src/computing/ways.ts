import { AREA_UNITS, columnInWords, LENGTH_UNITS, printName, printText } from '@clean-sieve/core';
import type { CodeListInfo, ColumnInfo, SourceInfo } from '@clean-sieve/server/api';

/** Something to fill in. */
export type Field =
  | { kind: 'column'; key: string; label: string; types: readonly ColumnInfo['type'][] }
  | { kind: 'columns'; key: string; label: string }
  | { kind: 'choice'; key: string; label: string; choices: readonly { value: string; title: string }[] }
  | { kind: 'text'; key: string; label: string; value: string };

export type Filled = Readonly<Record<string, string | readonly string[]>>;

/** A common way to compute a column: what is filled in gives an expression, a unit and a name. */
export interface Way {
  key: string;
  title: string;
  fields: readonly Field[];
  /** Null while something is missing. */
  make: (filled: Filled) => { expr: string; name: string; unit: string } | null;
}

const NUMBER = ['number'] as const;
const TIMES = ['date', 'datetime'] as const;
const units = (all: object) => Object.keys(all).map((value) => ({ value, title: value }));
const one = (filled: Filled, key: string): string => (typeof filled[key] === 'string' ? filled[key] : '');
const names = (filled: Filled, key: string): readonly string[] => (typeof filled[key] === 'string' ? [] : (filled[key] ?? []));
const called = (name: string) => columnInWords(name).toLowerCase().replaceAll(' ', '_');

const between = (key: string, title: string, sign: string, word: string): Way => ({
  ...{ key, title },
  fields: [
    { kind: 'column', key: 'a', label: 'Of', types: NUMBER },
    { kind: 'column', key: 'b', label: word, types: NUMBER },
  ],
  make(filled) {
    const [a, b] = [one(filled, 'a'), one(filled, 'b')];
    const name = key === 'ratio' ? `${called(a)}_per_${called(b)}` : `${called(a)}_${key}_${called(b)}`;
    return a && b ? { expr: `${printName(a)} ${sign} ${printName(b)}`, name, unit: '' } : null;
  },
});

const measure = (key: string, title: string, call: string, all: object): Way => ({
  ...{ key, title },
  fields: [{ kind: 'choice', key: 'unit', label: 'In', choices: units(all) }],
  make(filled) {
    const unit = one(filled, 'unit');
    return unit ? { expr: `${call}(geometry, ${printText(unit)})`, name: `${key}_${unit}`, unit } : null;
  },
});

/** The numbers of a list as it is typed; null where something else stands in it. */
function numbersIn(text: string): number[] | null {
  const parts = text.split(/[;\s]+/).filter((part) => part !== '');
  const numbers = parts.map((part) => Number(part.replace(/,$/, '')));
  return parts.length > 0 && numbers.every(Number.isFinite) ? numbers : null;
}

const ANY_TEXT = ['text', 'number'] as const;

/** The ways that a source can be computed by, in the order in which they are offered. */
export function waysFor(source: SourceInfo, codeLists: readonly CodeListInfo[]): Way[] {
  const has = (types: readonly string[], least = 1) => source.columns.filter(({ type }) => types.includes(type)).length >= least;
  const shapes = Object.keys(source.geometryTypes).join(' ');
  const listed = source.columns.filter(({ codeList }) => codeList !== null);
  const ways: (Way | false)[] = [
    has(NUMBER, 2) && between('ratio', 'One number by another', '/', 'Divided by'),
    has(NUMBER, 2) && between('minus', 'One number less another', '-', 'Less'),
    /Polygon/.test(shapes) && measure('area', 'Area', 'AREA_OF', AREA_UNITS),
    /Polygon/.test(shapes) && measure('perimeter', 'Perimeter', 'PERIMETER_OF', LENGTH_UNITS),
    /Line/.test(shapes) && measure('length', 'Length', 'LENGTH_OF', LENGTH_UNITS),
    shapes !== '' &&
      shapes !== 'None' && {
        ...{ key: 'centre', title: 'Coordinate of the centre' },
        fields: [
          {
            ...{ kind: 'choice', key: 'axis', label: 'Which' },
            choices: [
              { value: 'LON', title: 'longitude, in degrees' },
              { value: 'LAT', title: 'latitude, in degrees' },
              { value: 'X', title: 'x (east), in a system' },
              { value: 'Y', title: 'y (north), in a system' },
            ],
          },
          { kind: 'text', key: 'system', label: 'System, as EPSG:2056 (its own)', value: '' },
        ],
        make(filled) {
          const [axis, system] = [one(filled, 'axis'), one(filled, 'system').trim().toUpperCase()];
          if (!axis) return null;
          const name = `centre_${axis.toLowerCase()}`;
          if (axis === 'LON' || axis === 'LAT') return { expr: `CENTRE_${axis}(geometry)`, name, unit: '°' };
          if (system === '') return { expr: `CENTRE_${axis}(geometry)`, name, unit: '' };
          const code = /^\d+$/.test(system) ? `EPSG:${system}` : system;
          return { expr: `CENTRE_${axis}(geometry, ${printText(code)})`, name: `${name}_${code.replace(/\D+/g, '')}`, unit: '' };
        },
      },
    has(TIMES) && {
      ...{ key: 'age', title: 'Age on the as-of date' },
      fields: [{ kind: 'column', key: 'from', label: 'Since', types: TIMES }],
      make(filled) {
        const from = one(filled, 'from');
        return from ? { expr: `AGE(${printName(from)})`, name: `age_since_${called(from)}`, unit: 'years' } : null;
      },
    },
    has(TIMES, 2) && {
      ...{ key: 'days', title: 'Days from one date to another' },
      fields: [
        { kind: 'column', key: 'from', label: 'From', types: TIMES },
        { kind: 'column', key: 'to', label: 'To', types: TIMES },
      ],
      make(filled) {
        const [from, to] = [one(filled, 'from'), one(filled, 'to')];
        const name = `days_${called(from)}_to_${called(to)}`;
        return from && to ? { expr: `DAYS_BETWEEN(${printName(from)}, ${printName(to)})`, name, unit: 'days' } : null;
      },
    },
    has(NUMBER) && {
      ...{ key: 'classes', title: 'Class between bounds' },
      fields: [
        { kind: 'column', key: 'of', label: 'Of', types: NUMBER },
        { kind: 'text', key: 'bounds', label: 'Bounds, ascending', value: '' },
      ],
      make(filled) {
        const [of, bounds] = [one(filled, 'of'), numbersIn(one(filled, 'bounds'))];
        const ascend = bounds?.every((bound, i) => i === 0 || bounds[i - 1] < bound);
        return of && bounds && ascend
          ? { expr: `CLASS_OF(${printName(of)}, ${bounds.join(', ')})`, name: `${called(of)}_class`, unit: '' }
          : null;
      },
    },
    source.columns.length > 1 && {
      ...{ key: 'join', title: 'Columns joined to a text' },
      fields: [
        { kind: 'columns', key: 'of', label: 'Columns' },
        { kind: 'text', key: 'by', label: 'Between them', value: ' ' },
      ],
      make(filled) {
        const [of, by] = [names(filled, 'of'), one(filled, 'by')];
        const parts = of.map(printName).join(by === '' ? ', ' : `, ${printText(by)}, `);
        return of.length > 1 ? { expr: `CONCAT(${parts})`, name: of.map(called).join('_'), unit: '' } : null;
      },
    },
    listed.length > 0 && {
      ...{ key: 'meaning', title: 'Meaning of a code' },
      fields: [
        { kind: 'choice', key: 'of', label: 'Of', choices: listed.map(({ name, title }) => ({ value: name, title: title ?? name })) },
      ],
      make(filled) {
        const column = listed.find(({ name }) => name === one(filled, 'of'));
        const list = codeLists.find(({ id }) => id === column?.codeList);
        if (!column || !list) return null;
        const code = (text: string) => (column.type === 'number' ? Number(text) : printText(text));
        const pairs = list.entries
          .filter(([text]) => column.type !== 'number' || Number.isFinite(Number(text)))
          .map(([text, meaning]) => `${code(text)}, ${printText(meaning)}`);
        return { expr: `LOOKUP(${printName(column.name)}, ${pairs.join(', ')})`, name: `${called(column.name)}_meaning`, unit: '' };
      },
    },
    has(['text']) && {
      ...{ key: 'number', title: 'Number that a text spells' },
      fields: [
        { kind: 'column', key: 'of', label: 'Of', types: ['text'] },
        {
          ...{ kind: 'choice', key: 'mark', label: 'Decimals after' },
          choices: [
            { value: 'point', title: 'a point' },
            { value: 'comma', title: 'a comma' },
          ],
        },
      ],
      make(filled) {
        const [of, mark] = [one(filled, 'of'), one(filled, 'mark')];
        return of ? { expr: `TO_NUMBER(${printName(of)}, ${printText(mark || 'point')})`, name: `${called(of)}_number`, unit: '' } : null;
      },
    },
    has(ANY_TEXT) && {
      ...{ key: 'fill', title: 'A value for what is blank' },
      fields: [
        { kind: 'column', key: 'of', label: 'Of', types: ANY_TEXT },
        { kind: 'text', key: 'by', label: 'Where it is blank', value: '' },
      ],
      make(filled) {
        const [of, by] = [one(filled, 'of'), one(filled, 'by')];
        const column = source.columns.find(({ name }) => name === of);
        if (!column || by === '' || (column.type === 'number' && !Number.isFinite(Number(by)))) return null;
        const value = column.type === 'number' ? String(Number(by)) : printText(by);
        return { expr: `COALESCE(${printName(of)}, ${value})`, name: `${called(of)}_filled`, unit: '' };
      },
    },
  ];
  return ways.filter((way) => way !== false);
}
