import { valueAt, type ColumnSchema } from '../features/column.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { withKnownColumns } from './known_columns.ts';

test('columns without a value have the type that is known of them, and missing ones are there', () => {
  const builder = new TableBuilder();
  for (const n of [1, 2, 3]) builder.addFeature(null, { n, closed: null, note: n === 2 ? 'seen' : null });
  const known: ColumnSchema[] = [
    { name: 'n', type: 'text' },
    { name: 'closed', type: 'datetime' },
    { name: 'gone', type: 'number' },
    { name: 'note', type: 'number' },
  ];
  const { columns, rows } = withKnownColumns(builder.finish(), known);
  expect(columns.map(({ name, type }) => `${name} ${type}`)).toEqual(['n number', 'closed datetime', 'note text', 'gone number']);
  expect(columns.map((column) => Array.from({ length: rows }, (_, row) => valueAt(column, row)))).toEqual([
    [1, 2, 3],
    [null, null, null],
    [null, 'seen', null],
    [null, null, null],
  ]);
  expect(columns[1].chunks.map(({ nulls }) => nulls)).toEqual([3]);
});

test('of no features, the columns are those that are known', () => {
  const { columns } = withKnownColumns(new TableBuilder().finish(), [{ name: 'n', type: 'number' }]);
  expect(columns.map(({ name, type, chunks }) => [name, type, chunks.length])).toEqual([['n', 'number', 0]]);
});
