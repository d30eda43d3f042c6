import { parseFilter, typeOfValue } from '@clean-sieve/core';
import type { CodeListInfo, ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { waysFor, type Filled } from './ways.ts';

const column = (name: string, type: ColumnInfo['type'], codeList: number | null = null): ColumnInfo => ({
  ...{ name, type, nulls: 0, empty: 0, distinct: 9, min: null, max: null },
  ...{ title: null, description: null, hidden: false, derivation: null, codeList },
});
const columns = [
  column('hours', 'number'),
  column('no of visits', 'number'),
  column('opened', 'date'),
  column('closed', 'date'),
  column('street', 'text'),
  column('use', 'text', 4),
  column('owner', 'number', 5),
];
const source = { columns, geometryTypes: { Polygon: 3, LineString: 1 } } as unknown as SourceInfo;
const codeLists: CodeListInfo[] = [
  {
    ...{ id: 4, name: 'Uses' },
    entries: [
      ['01', "Mill's"],
      ['02', 'Quay'],
    ],
  },
  {
    ...{ id: 5, name: 'Owners' },
    entries: [
      ['1', 'Town'],
      ['none', 'Nobody'],
    ],
  },
];
const ways = waysFor(source, codeLists);
const made = (key: string, filled: Filled) => ways.find((way) => way.key === key)!.make(filled);

test.each<[string, Filled, string, string]>([
  ['ratio', { a: 'hours', b: 'no of visits' }, 'hours / "no of visits"', 'number'],
  ['minus', { a: 'hours', b: 'owner' }, 'hours - owner', 'number'],
  ['area', { unit: 'ha' }, "AREA_OF(geometry, 'ha')", 'number'],
  ['length', { unit: 'km' }, "LENGTH_OF(geometry, 'km')", 'number'],
  ['perimeter', { unit: 'm' }, "PERIMETER_OF(geometry, 'm')", 'number'],
  ['centre', { axis: 'LON', system: '' }, 'CENTRE_LON(geometry)', 'number'],
  ['centre', { axis: 'X', system: ' 2056' }, "CENTRE_X(geometry, 'EPSG:2056')", 'number'],
  ['centre', { axis: 'Y', system: '' }, 'CENTRE_Y(geometry)', 'number'],
  ['age', { from: 'opened' }, 'AGE(opened)', 'number'],
  ['days', { from: 'opened', to: 'closed' }, 'DAYS_BETWEEN(opened, closed)', 'number'],
  ['classes', { of: 'hours', bounds: '10 20,5; 30' }, null as never, 'number'],
  ['classes', { of: 'hours', bounds: '10, 20.5; 30' }, 'CLASS_OF(hours, 10, 20.5, 30)', 'number'],
  ['join', { of: ['street', 'hours'], by: ' – ' }, "CONCAT(street, ' – ', hours)", 'text'],
  ['meaning', { of: 'use' }, "LOOKUP(use, '01', 'Mill''s', '02', 'Quay')", 'text'],
  ['meaning', { of: 'owner' }, "LOOKUP(owner, 1, 'Town')", 'text'],
  ['number', { of: 'street', mark: 'comma' }, "TO_NUMBER(street, 'comma')", 'number'],
  ['fill', { of: 'hours', by: '0' }, 'COALESCE(hours, 0)', 'number'],
  ['fill', { of: 'street', by: 'none' }, "COALESCE(street, 'none')", 'text'],
])('%s: %j', (key, filled, expr, type) => {
  const found = made(key, filled);
  expect(found?.expr ?? null).toBe(expr);
  if (found) expect(typeOfValue(parseFilter(found.expr), columns)).toBe(type);
});

test('nothing is made of what is not filled in yet, or does not fit', () => {
  for (const way of ways) expect([way.key, way.make({})]).toEqual([way.key, null]);
  expect(made('classes', { of: 'hours', bounds: '20 10' })).toBeNull();
  expect(made('fill', { of: 'hours', by: 'none' })).toBeNull();
  expect(made('join', { of: ['street'], by: '' })).toBeNull();
});

test('only what the source can give is offered', () => {
  const bare = { columns: [column('a', 'text')], geometryTypes: { Point: 1 } } as unknown as SourceInfo;
  expect(waysFor(bare, []).map(({ key }) => key)).toEqual(['centre', 'number', 'fill']);
});
