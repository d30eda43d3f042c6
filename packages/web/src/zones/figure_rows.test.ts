import { printFilter } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { columnsFor, columnsOf, figureOf, kindsFor, measureOf, nameFor, rateOf, type FigureRow } from './figure_rows.ts';

const column = (name: string, type: string, derivation: object | null = null) => ({ name, type, hidden: false, derivation });
const source = (geometryTypes: Record<string, number>, ...columns: object[]) => ({ columns, geometryTypes }) as unknown as SourceInfo;
const trees = source({ Point: 3 }, column('girth_cm', 'number'), column('planted', 'date'), column('species', 'text'));
const paths = source({ LineString: 2 }, column('surface', 'text'));
const wards = source({ Polygon: 2 }, column('name', 'text'), column('residents', 'number'));
const ROW: FigureRow = {
  id: 1,
  kind: 'count',
  column: null,
  weight: null,
  unit: '',
  per: 1000,
  name: '',
  named: false,
  title: '',
  measure: '',
};

test('figures are offered that the features can have', () => {
  expect(kindsFor(trees, wards, false)).toEqual(['count', 'rate', 'sum', 'mean', 'median', 'min', 'max', 'deviation', 'distinct']);
  expect(kindsFor(paths, source({ Polygon: 1 }), true)).toEqual(['count', 'share', 'distinct', 'length']);
  expect(columnsFor('max', trees, wards).map(({ name }) => name)).toEqual(['girth_cm', 'planted']);
  expect(columnsFor('distinct', trees, wards)).toHaveLength(3);
  expect(columnsFor('rate', trees, wards).map(({ name }) => name)).toEqual(['residents']);
});

test('a figure is called after what it is of, and like nothing else', () => {
  const named = (row: Partial<FigureRow>, taken: string[] = []) => nameFor({ ...ROW, ...row }, 'Veterans, overdue', new Set(taken));
  expect(named({})).toBe('veterans_overdue');
  expect(named({}, ['veterans_overdue'])).toBe('veterans_overdue_2');
  expect(named({ kind: 'rate', column: 'residents' })).toBe('veterans_overdue_per_1000_residents');
  expect(named({ kind: 'mean', column: 'girth_cm' })).toBe('veterans_overdue_girth_cm_mean');
  expect(named({ kind: 'length', unit: 'km' })).toBe('veterans_overdue_km');
});

test('only what belongs to a figure is asked for', () => {
  const row = { ...ROW, column: 'girth_cm', weight: 'height_m', unit: 'ha' };
  expect(figureOf(row, 'part')).toEqual({ kind: 'count', column: null, weight: null, unit: null, several: 'part' });
  expect(figureOf({ ...row, kind: 'mean' }, 'first')).toEqual({
    ...figureOf(row, 'first'),
    kind: 'mean',
    column: 'girth_cm',
    weight: 'height_m',
  });
  expect(figureOf({ ...row, kind: 'median' }, 'part')).toMatchObject({ kind: 'median', weight: null, several: 'each' });
  expect(figureOf({ ...row, kind: 'area' }, 'each')).toMatchObject({ kind: 'area', column: null, unit: 'ha' });
  expect(figureOf({ ...row, kind: 'rate' }, 'each').kind).toBe('count');
});

test('a rate is an expression of the zones', () => {
  expect(printFilter(rateOf('trees', 'residents', 1000))).toBe('trees / residents * 1000');
});

test('columns are made of figures, once or for each part, with what they are shown as', () => {
  const count = { ...ROW, name: 'trees' };
  const mean = { ...ROW, kind: 'mean' as const, column: 'girth_cm', name: 'girth', title: 'Mean girth', measure: 'cm' };
  const rate = { ...ROW, kind: 'rate' as const, column: 'residents', name: 'per_head' };
  const of = { called: 'Trees', several: 'each' as const, spread: null, taken: new Set(['trees_ash']) };
  const once = columnsOf([count, mean, rate], of);
  expect(once.figures.map(({ name, title, unit }) => [name, title, unit])).toEqual([
    ['trees', null, null],
    ['girth', 'Mean girth', 'cm'],
  ]);
  expect(once.computed.map(({ name, expr }) => [name, printFilter(expr)])).toEqual([['per_head', 'trees / residents * 1000']]);
  // Where nothing is counted, a rate has its count made.
  expect(columnsOf([rate], of).figures.map(({ name }) => name)).toEqual(['trees']);

  const values = [
    { value: 'ash', label: 'Ash' },
    { value: null, label: 'blank' },
  ];
  const spread = columnsOf([count, rate], { ...of, spread: { column: 'species', by: 'value', values, others: true } });
  expect(spread.figures.map(({ name, title }) => [name, title])).toEqual([
    ['trees_ash_2', 'Trees, Ash'],
    ['trees_blank', 'Trees, blank'],
    ['trees_others', 'Trees, all others'],
  ]);
  expect(spread.figures.map(({ figure }) => figure.part)).toEqual([
    { column: 'species', by: 'value', values: ['ash'], others: false },
    { column: 'species', by: 'value', values: [null], others: false },
    { column: 'species', by: 'value', values: ['ash', null], others: true },
  ]);
  expect(spread.computed.map(({ name, expr }) => [name, printFilter(expr)])).toEqual([
    ['per_head_ash', 'trees_ash_2 / residents * 1000'],
    ['per_head_blank', 'trees_blank / residents * 1000'],
    ['per_head_others', 'trees_others / residents * 1000'],
  ]);
});

test('the unit of what a figure is of goes with it', () => {
  expect(measureOf({ ...ROW, kind: 'mean', column: 'girth_cm' }, trees.columns)).toBe('cm');
  expect(measureOf({ ...ROW, kind: 'distinct', column: 'girth_cm' }, trees.columns)).toBe('');
  const height = { ...column('height', 'number'), derivation: { kind: 'typed', unit: 'm' } } as unknown as SourceInfo['columns'][number];
  expect(measureOf({ ...ROW, kind: 'max', column: 'height' }, [height])).toBe('m');
});
