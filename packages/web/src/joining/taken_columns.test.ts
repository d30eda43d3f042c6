import type { ColumnInfo } from '@clean-sieve/server/api';
import { problemOf, waysOf, withColumn, type TakenColumn } from './taken_columns.ts';

const column = (name: string, type = 'text') => ({ name, type }) as ColumnInfo;
const own = [column('id'), column('name')];

test('columns are taken and left, each under a name that is free', () => {
  const first = withColumn([], 'name', true, 'name', own);
  expect(first).toEqual([{ column: 'name', name: 'name_2', several: 'first' }]);
  const more = withColumn(withColumn(first, 'constructor', true, 'constructor', own), null, true, 'visits_rows', own);
  expect(more.map(({ column: of, several }) => [of, several])).toEqual([
    ['name', 'first'],
    ['constructor', 'first'],
    [null, 'count'],
  ]);
  expect(withColumn(more, 'name', false, 'name', own)).toHaveLength(2);
});

test('a name that is missing or taken is told', () => {
  const taken: TakenColumn[] = [
    { column: 'a', name: ' id ', several: 'first' },
    { column: 'b', name: 'x', several: 'first' },
    { column: 'c', name: 'x ', several: 'first' },
    { column: 'd', name: ' ', several: 'first' },
    { column: 'e', name: 'geometry', several: 'first' },
    { column: 'f', name: 'free', several: 'first' },
  ];
  const there = 'is there already';
  expect(taken.map((one) => problemOf(one, taken, own))).toEqual([there, there, there, 'needs a name', there, '']);
});

test('what is brought together depends on the type', () => {
  expect(waysOf(column('a', 'number'))).toContain('sum');
  expect(waysOf(column('a', 'date'))).toEqual(['first', 'min', 'max']);
  expect(waysOf(column('a', 'boolean'))).toEqual(['first']);
});
