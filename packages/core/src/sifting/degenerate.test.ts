import { CRS84, type Crs } from '../crs/crs.ts';
import { rowsOf } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { checkFilter } from '../filters/check.ts';
import { parseFilter } from '../filters/parser.ts';
import { isCall, isGeometry } from '../filters/ast.ts';
import { Geos } from '../geos/geos.ts';
import type { Geometry } from 'geojson';
import { Sifter } from './sifter.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});
const PLANE: Crs = { name: 'EPSG:32629', label: '', definition: '+proj=utm +zone=29 +datum=WGS84 +units=m +no_defs', accuracy: null };
const RELATIONS = ['INTERSECTS', 'DISJOINT', 'WITHIN', 'CONTAINS', 'TOUCHES', 'CROSSES', 'OVERLAPS', 'EQUALS'] as const;

function geometryOf(wkt: string): Geometry {
  const { expr } = parseFilter(`S_INTERSECTS(geometry, ${wkt})`);
  const geometry = isCall(expr) ? expr.args[1] : null;
  if (geometry === null || !isGeometry(geometry)) throw new Error(wkt);
  return geometry;
}
function tableOf(geometry: Geometry, crs: Crs) {
  const builder = new TableBuilder();
  builder.addFeature(geometry, null);
  return { ...builder.finish(), crs };
}

/** The relations that hold between two shapes, asked with the second written out, and as another source. */
function related(a: string, b: string, crs = PLANE): [string[], string[]] {
  const [mine, theirs] = [a, b].map((wkt) => tableOf(geometryOf(wkt), crs));
  const ask = (operand: string) => {
    const sifter = new Sifter(mine, 0, crs, geos);
    sifter.operands = new Map([['SOURCE b', { key: 'b', table: theirs, rows: null }]]);
    return RELATIONS.filter((relation) => {
      const parsed = parseFilter(`S_${relation}(geometry, ${operand})`);
      checkFilter(parsed, [], { projected: true, operands: { sources: ['b'], sieves: [] } });
      return rowsOf(sifter.verdict(parsed.expr).yes).length > 0;
    });
  };
  return [ask(b), ask("SOURCE('b')")];
}

// What holds follows from the interiors, boundaries and exteriors (ISO 19125; OGC 06-103r4, clause 6.1.15).
const SQUARE = 'POLYGON((0 0, 4 0, 4 4, 0 4, 0 0))';
const RING = 'POLYGON((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 3, 3 3, 3 1, 1 1))';
const FAR = 10_000_000;
test.each<[string, string, string, string[]]>([
  ['polygons that touch at one vertex', SQUARE, 'POLYGON((4 4, 6 4, 6 6, 4 6, 4 4))', ['INTERSECTS', 'TOUCHES']],
  ['polygons that share an edge', SQUARE, 'POLYGON((4 0, 6 0, 6 4, 4 4, 4 0))', ['INTERSECTS', 'TOUCHES']],
  ['a vertex on the middle of an edge', SQUARE, 'POLYGON((4 2, 6 1, 6 3, 4 2))', ['INTERSECTS', 'TOUCHES']],
  ['a polygon in the hole', 'POLYGON((1.5 1.5, 2 1.5, 2 2, 1.5 2, 1.5 1.5))', RING, ['DISJOINT']],
  ['a polygon that fills the hole', 'POLYGON((1 1, 3 1, 3 3, 1 3, 1 1))', RING, ['INTERSECTS', 'TOUCHES']],
  ['the same ring from another corner', SQUARE, 'POLYGON((4 4, 4 0, 0 0, 0 4, 4 4))', ['INTERSECTS', 'WITHIN', 'CONTAINS', 'EQUALS']],
  ['an inner edge along the outer one', 'POLYGON((0 1, 2 1, 2 3, 0 3, 0 1))', SQUARE, ['INTERSECTS', 'WITHIN']],
  [
    'a multipolygon whose parts share a point',
    'MULTIPOLYGON(((0 0, 2 0, 2 2, 0 2, 0 0)), ((2 2, 4 2, 4 4, 2 4, 2 2)))',
    SQUARE,
    ['INTERSECTS', 'WITHIN'],
  ],
  [
    'the point that the parts share',
    'POINT(2 2)',
    'MULTIPOLYGON(((0 0, 2 0, 2 2, 0 2, 0 0)), ((2 2, 4 2, 4 4, 2 4, 2 2)))',
    ['INTERSECTS', 'TOUCHES'],
  ],
  ['a point on an edge', 'POINT(4 2)', SQUARE, ['INTERSECTS', 'TOUCHES']],
  ['a point on a corner', 'POINT(0 0)', SQUARE, ['INTERSECTS', 'TOUCHES']],
  ['a point inside', 'POINT(1 1)', SQUARE, ['INTERSECTS', 'WITHIN']],
  ['a point on the edge of a hole', 'POINT(1 2)', RING, ['INTERSECTS', 'TOUCHES']],
  ['a point in a hole', 'POINT(2 2)', RING, ['DISJOINT']],
  ['the end of a line', 'POINT(0 0)', 'LINESTRING(0 0, 4 4)', ['INTERSECTS', 'TOUCHES']],
  ['the middle of a line', 'POINT(2 2)', 'LINESTRING(0 0, 4 4)', ['INTERSECTS', 'WITHIN']],
  ['a line along an edge', 'LINESTRING(0 0, 4 0)', SQUARE, ['INTERSECTS', 'TOUCHES']],
  ['a line through', 'LINESTRING(-1 2, 5 2)', SQUARE, ['INTERSECTS', 'CROSSES']],
  ['a line from edge to edge', 'LINESTRING(0 2, 4 2)', SQUARE, ['INTERSECTS', 'WITHIN']],
  ['lines that overlap', 'LINESTRING(0 0, 3 0)', 'LINESTRING(2 0, 5 0)', ['INTERSECTS', 'OVERLAPS']],
  // Doubles at 10⁷ are 1.86 · 10⁻⁹ apart: what differs by less than half of that is the same place.
  [
    'coordinates at 10⁷, nearer than doubles are',
    `POINT(${FAR}.0000000009 ${FAR})`,
    `POLYGON((${FAR - 1} ${FAR - 1}, ${FAR} ${FAR - 1}, ${FAR} ${FAR + 1}, ${FAR - 1} ${FAR + 1}, ${FAR - 1} ${FAR - 1}))`,
    ['INTERSECTS', 'TOUCHES'],
  ],
  [
    'a billionth beside the edge',
    `POINT(${FAR}.000000001 ${FAR})`,
    `POLYGON((${FAR - 1} ${FAR - 1}, ${FAR} ${FAR - 1}, ${FAR} ${FAR + 1}, ${FAR - 1} ${FAR + 1}, ${FAR - 1} ${FAR - 1}))`,
    ['DISJOINT'],
  ],
])('%s', (_what, a, b, held) => {
  const [written, asSource] = related(a, b);
  expect(written).toEqual(held);
  expect(asSource).toEqual(held);
});

test('lines of no length and collapsed rings are found where they are, and bring nothing down', () => {
  const [written, asSource] = related('LINESTRING(2 2, 2 2)', SQUARE);
  expect([written[0], asSource[0]]).toEqual(['INTERSECTS', 'INTERSECTS']);
  const flat = related('POLYGON((1 1, 3 3, 1 1, 1 1))', SQUARE);
  expect([flat[0][0], flat[1][0]]).toEqual(['INTERSECTS', 'INTERSECTS']);
  expect(related('POLYGON((9 9, 9 9, 9 9, 9 9))', SQUARE)[0]).toContain('DISJOINT');
});

describe('the 180° meridian and the poles', () => {
  const kept = (text: string, ...wkts: string[]) => {
    const builder = new TableBuilder();
    for (const wkt of wkts) builder.addFeature(geometryOf(wkt), null);
    const parsed = parseFilter(text);
    checkFilter(parsed, []);
    return [...rowsOf(new Sifter(builder.finish(), 0, CRS84, geos).verdict(parsed.expr).yes)];
  };

  test('a box over the meridian is two', () => {
    const points = ['POINT(179.5 0)', 'POINT(-179.5 0)', 'POINT(0 0)', 'POINT(180 0)', 'POINT(-180 0)'];
    expect(kept('S_INTERSECTS(geometry, BBOX(179, -1, -179, 1))', ...points)).toEqual([0, 1, 3, 4]);
    expect(
      kept(
        'S_WITHIN(geometry, BBOX(179, -1, -179, 1))',
        'POLYGON((179.2 0, 179.8 0, 179.8 0.5, 179.2 0))',
        'POLYGON((178 0, 179.8 0, 179.8 0.5, 178 0))',
      ),
    ).toEqual([0]);
  });

  test('distances go over the meridian and round the pole', () => {
    expect(kept("S_DWITHIN(geometry, POINT(179.999 0), 300, 'm')", 'POINT(-179.999 0)', 'POINT(-179.99 0)')).toEqual([0]);
    expect(kept("S_DWITHIN(geometry, POINT(0 89.999), 300, 'm')", 'POINT(180 89.999)', 'POINT(90 89.99)')).toEqual([0]);
    expect(kept("S_DWITHIN(geometry, LINESTRING(0 89.9, 180 89.9), 100, 'm')", 'POINT(90 89.9)', 'POINT(-90 89.9)')).toEqual([0]);
  });

  test('a ring round the pole, cut open along the meridian as RFC 7946 has it', () => {
    const cap = 'POLYGON((-180 80, 180 80, 180 90, -180 90, -180 80))';
    expect(kept(`S_INTERSECTS(geometry, ${cap})`, 'POINT(12 85)', 'POINT(-170 89.99)', 'POINT(0 79.9)', 'POINT(0 80)')).toEqual([0, 1, 3]);
    expect(kept(`S_WITHIN(geometry, ${cap})`, 'POINT(12 85)', 'POINT(0 80)')).toEqual([0]);
  });
});
