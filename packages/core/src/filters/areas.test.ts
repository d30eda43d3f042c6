import fc from 'fast-check';
import { Sifter, unknownOf } from '../sifting/sifter.ts';
import { count } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { explainFeature } from '../sifting/why.ts';
import { areaRef, areasIn, buffer, type AreaShape, type AreaShapes } from './areas.ts';

import { checkFilter } from './check.ts';
import { withShapes } from './with_shapes.ts';
import { parseFilter } from './parser.ts';
import { printFilter } from './printer.ts';
import { emptyTree, treeOfExpr } from './tree.ts';

const square = {
  type: 'Polygon' as const,
  coordinates: [
    [
      [0, 0],
      [2, 0],
      [2, 2],
      [0, 2],
      [0, 0],
    ],
  ],
};
const point = { type: 'Point' as const, coordinates: [1, 1] };
const shapes: AreaShapes = new Map<string, AreaShape>([
  ['Square', square],
  ['Round', buffer(point, 50, 'km')],
]);
const read = (text: string) => parseFilter(text).expr;

test.each([
  ["S_WITHIN(geometry, AREA('Square'))", 'S_WITHIN(geometry, POLYGON((0 0, 2 0, 2 2, 0 2, 0 0)))'],
  ["S_INTERSECTS(AREA('Round'), geometry)", "S_DWITHIN(geometry, POINT(1 1), 50, 'km')"],
  ["S_DISJOINT(geometry, AREA('Round')) OR a = 1", "NOT S_DWITHIN(geometry, POINT(1 1), 50, 'km') OR a = 1"],
  ["S_DWITHIN(geometry, AREA('Round'), 2, 'km')", "S_DWITHIN(geometry, POINT(1 1), 52000, 'm')"],
  ['S_INTERSECTS(geometry, BUFFER(POINT(1 1), 3))', "S_DWITHIN(geometry, POINT(1 1), 3, 'm')"],
])('%s is about the shape of the area', (text, resolved) => {
  expect(printFilter(withShapes(read(text), shapes))).toBe(resolved.replace(/^(.*) OR a = 1$/, '$1 OR a = 1'));
});

test('areas are found wherever they stand', () => {
  const expr = read("a = 1 AND NOT (S_WITHIN(geometry, AREA('Square')) OR S_DWITHIN(geometry, AREA('Round'), 5))");
  expect(areasIn(expr)).toEqual(['Square', 'Round']);
});

const columns = [{ name: 'a', type: 'number' as const }];
test.each([
  ["S_WITHIN(geometry, AREA('Squar'))", 'There is no area Squar (at character 25). Did you mean Square?'],
  ["S_WITHIN(geometry, AREA('x'))", 'The areas are Square, Round'],
  ["S_WITHIN(geometry, AREA('Round'))", 'S_WITHIN needs a shape with corners'],
  ['S_WITHIN(geometry, AREA(a))', 'AREA needs the name of an area in single quotes'],
  ["a = AREA('Square')", 'geometry'],
  ['S_INTERSECTS(geometry, BUFFER(POINT(1 1), -3))', '0 or more'],
  ["S_INTERSECTS(geometry, BUFFER(POINT(1 1), 3, 'parsec'))", 'not a known unit'],
])('%s is refused: %s', (text, message) => {
  let line = '';
  try {
    checkFilter(parseFilter(text), columns, { areas: shapes });
  } catch (error) {
    ({ line } = error as { line: string });
  }
  expect(line).toContain(message);
});

test('a filter about an area keeps what the same filter about its shape keeps, also after the area has changed', () => {
  const position = fc.tuple(fc.double({ min: -1, max: 3, noNaN: true }), fc.double({ min: -1, max: 3, noNaN: true }));
  fc.assert(
    fc.property(fc.array(position, { minLength: 1, maxLength: 30 }), fc.integer({ min: 1, max: 200 }), (places, km) => {
      const builder = new TableBuilder();
      for (const coordinates of places) builder.addFeature({ type: 'Point', coordinates }, null);
      builder.addFeature(null, null);
      const sifter = new Sifter(builder.finish(), 0);
      sifter.areas = shapes;
      const kept = (text: string) => {
        const verdict = sifter.verdict(read(text));
        return [count(verdict.yes), count(unknownOf(verdict))];
      };
      expect(kept("S_INTERSECTS(geometry, AREA('Square'))")).toEqual(kept(`S_INTERSECTS(geometry, ${printFilter(square)})`));
      const [inside, blank] = kept("S_INTERSECTS(geometry, AREA('Round'))");
      expect([blank, kept("S_DISJOINT(geometry, AREA('Round'))")]).toEqual([1, [places.length - inside, 1]]);
      sifter.areas = new Map([['Round', buffer(point, km, 'km')]]);
      expect(kept("S_INTERSECTS(geometry, AREA('Round'))")).toEqual(kept(`S_DWITHIN(geometry, POINT(1 1), ${km}, 'km')`));
    }),
    { numRuns: 60 },
  );
});

test('a feature outside a circle is told by how much', () => {
  const builder = new TableBuilder();
  builder.addFeature({ type: 'Point', coordinates: [1, 2] }, null);
  const sifter = new Sifter(builder.finish(), 0);
  sifter.areas = shapes;
  const tree = treeOfExpr({ op: 's_intersects', args: [{ property: 'geometry' }, areaRef('Round')] }, emptyTree(), () => 'c');
  const [reason] = explainFeature(sifter, tree, 0);
  // One degree of the meridian from 1° to 2° N on WGS 84: 110,576 m (GeographicLib).
  expect([reason.outcome, Math.round(reason.margin! / 10)]).toEqual(['fail', Math.round((50_000 - 110_576) / 10)]);
});
