import fc from 'fast-check';
import { CRS84, printFilter, type ColumnSchema } from '@clean-sieve/core';
import { crsNamed } from '../crs/epsg.ts';
import { BadRequest, FEED_CRS84, feedSystems, itemsQuery, storageUri } from './params.ts';

const COLUMNS: ColumnSchema[] = [
  { name: 'name', type: 'text' },
  { name: 'height', type: 'number' },
  { name: 'lit', type: 'boolean' },
  { name: 'seen', type: 'date' },
  { name: 'at', type: 'datetime' },
  { name: 'limit', type: 'number' },
];
const SYSTEMS = feedSystems(crsNamed('EPSG:32632'));
const query = (text: string, columns = COLUMNS) => itemsQuery(new URLSearchParams(text), columns, SYSTEMS);
const filter = (text: string, columns = COLUMNS) => {
  const { filter: expr } = query(text, columns);
  return expr === null ? null : printFilter(expr);
};
const refused = (text: string) => {
  try {
    query(text);
  } catch (error) {
    if (error instanceof BadRequest) return error.message;
    throw error;
  }
  throw new Error(`${text} was taken`);
};

test('pages: usual size, the most, and what is no number of features', () => {
  expect(query('')).toEqual({ limit: 100, offset: 0, filter: null, crs: FEED_CRS84, html: false });
  expect(query('limit=999999&offset=20')).toMatchObject({ limit: 10_000, offset: 20 });
  for (const text of ['limit=0', 'limit=-1', 'limit=1.5', 'limit=many', 'offset=-1', 'limit='])
    expect(refused(text)).toMatch(/^(limit|offset)/);
  expect(refused('limit=1&limit=2')).toBe('limit is given more than once');
});

test('a parameter that there is not is refused with those that there are', () => {
  expect(refused('colour=red')).toMatch(/^There is no parameter colour; there are limit, .*, name, height/);
});

test('values of columns by their types; a column that is called as a parameter is left to the filter', () => {
  expect(filter("name=O'Hara")).toBe("name = 'O''Hara'");
  expect(filter('height=12.5&lit=true')).toBe('height = 12.5 AND lit = TRUE');
  expect(filter('seen=2024-05-31')).toBe("seen = DATE('2024-05-31')");
  expect(query('limit=7').filter).toBeNull();
  expect(filter('filter=%22limit%22%20%3E%203')).toContain('limit');
  for (const text of ['height=tall', 'lit=yes', 'seen=2024-13-01', 'seen=2024-02-30', 'at=2024-05-31'])
    expect(refused(text)).toMatch(/ is .*, not /);
});

test('boxes of four or six numbers, over the 180th meridian, and in another system with its axes', () => {
  const box = (text: string) => filter(`bbox=${text}`);
  expect(box('7,46,9,48')).toBe('S_INTERSECTS(geometry, BBOX(7, 46, 9, 48))');
  expect(box('7,46,100,9,48,200')).toBe(box('7,46,9,48'));
  expect(box('170,-10,-170,10')).toBe(
    'S_INTERSECTS(geometry, BBOX(170, -10, 180, 10)) OR S_INTERSECTS(geometry, BBOX(-180, -10, -170, 10))',
  );
  const north = encodeURIComponent('http://www.opengis.net/def/crs/EPSG/0/4326');
  expect(filter(`bbox=46,7,48,9&bbox-crs=${north}`)).toBe('S_INTERSECTS(geometry, BBOX(7, 46, 9, 48))');
  expect(filter(`bbox=-10,170,10,-170&bbox-crs=${north}`)).toContain(' OR ');
  for (const text of ['1,2,3', '1,2,3,x', '1,2,,4', '0,50,1,40', '-200,0,0,1', '0,0,0,91'])
    expect(refused(`bbox=${text}`)).toMatch(/^bbox/);
  expect(refused('bbox=0,0,1,1&bbox-crs=http://nowhere')).toContain('bbox-crs');
});

test('times: an instant, an interval, half an interval; features without a time are not selected out', () => {
  const days = [COLUMNS[3]];
  expect(filter('datetime=2024-05-31', days)).toBe("seen IS NULL OR (seen >= DATE('2024-05-31') AND seen <= DATE('2024-05-31'))");
  expect(filter('datetime=2024-05-01/..', days)).toBe("seen IS NULL OR seen >= DATE('2024-05-01')");
  expect(filter('datetime=/2024-05-01', days)).toBe("seen IS NULL OR seen <= DATE('2024-05-01')");
  expect(filter('datetime=2024-05-31', [COLUMNS[4]])).toContain("at <= TIMESTAMP('2024-05-31T23:59:59.999Z')");
  expect(filter('datetime=../..', days)).toBeNull();
  expect(filter('datetime=2024-05-31', [COLUMNS[0]])).toBeNull();
  for (const text of ['yesterday', '2024', '2024-06-01/2024-05-01', '..', '2024-01-01/2024-01-02/..'])
    expect(refused(`datetime=${text}`)).toMatch(/^datetime/);
});

test('filters in text and JSON, with geometries in another system; a wrong one says where', () => {
  const utm = encodeURIComponent('http://www.opengis.net/def/crs/EPSG/0/32632');
  const asked = (text: string) => `filter=${encodeURIComponent(text)}&filter-crs=${utm}`;
  // Its coordinates stay as they are written, with the name of their system.
  const query = new URLSearchParams(asked('S_INTERSECTS(geometry, POINT(500000 5205700))'));
  expect(itemsQuery(query, COLUMNS, SYSTEMS).filter).toEqual({
    op: 's_intersects',
    args: [
      { property: 'geometry' },
      { type: 'Point', coordinates: [500_000, 5_205_700], crs: { type: 'name', properties: { name: 'EPSG:32632' } } },
    ],
  });
  expect(refused(asked('S_INTERSECTS(geometry, BBOX(9, 0, 5, 1))'))).toContain('The west of the BBOX is east of its east');
  expect(refused(asked('S_INTERSECTS(geometry, BBOX(5, 2, 9, 1))'))).toContain('The south of the BBOX is north');
  const json = JSON.stringify({ op: '>', args: [{ property: 'height' }, 3] });
  expect(filter(`filter-lang=cql2-json&filter=${encodeURIComponent(json)}`)).toBe('height > 3');
  expect(refused('filter=height%20%3E')).toMatch(/^filter: /);
  expect(refused('filter=height&filter-lang=sql')).toContain('cql2-text or cql2-json');
});

test('systems: longitude and latitude, WGS 84, web maps and that of the source', () => {
  const codes = (name: string) => feedSystems(crsNamed(name)).map(({ uri }) => uri.split('/').at(-1));
  expect(codes('EPSG:32632')).toEqual(['CRS84', '4326', '3857', '32632']);
  expect(feedSystems(CRS84).map(({ northFirst }) => northFirst)).toEqual([false, true, false]);
  expect(storageUri(crsNamed('EPSG:27700'))).toBe('http://www.opengis.net/def/crs/EPSG/0/27700');
});

test('whatever is asked, the answer is a query or a refusal', () => {
  const name = fc.constantFrom('limit', 'offset', 'bbox', 'datetime', 'crs', 'filter', 'filter-lang', 'f', 'name', 'height', 'at', 'x');
  const value = fc.oneof(
    fc.string(),
    fc.constantFrom('1', '0,0,1,1', '2024-05-31', '2024-05-31T10:00:00Z/..', 'json', "name = 'a'", FEED_CRS84.uri),
  );
  fc.assert(
    fc.property(fc.array(fc.tuple(name, value), { maxLength: 4 }), (pairs) => {
      try {
        const found = itemsQuery(new URLSearchParams(pairs), COLUMNS, SYSTEMS);
        expect(found.limit).toBeGreaterThan(0);
      } catch (error) {
        expect(error).toBeInstanceOf(BadRequest);
      }
    }),
  );
});
