import { checkFilter, parseFilter, type Box } from '@clean-sieve/core';
import { filterInView } from './in_view.ts';

test.each<[Box, string]>([
  [[-12.3456789, 46.1, -11, 46.2], '-12.34568, 46.1, -11, 46.2'],
  [[170, -10, 190, 10], '170, -10, -170, 10'],
  [[-190, -10, -170, 10], '170, -10, -170, 10'],
  [[-300, -95, 200, 95], '-180, -90, 180, 90'],
  [[530, 0, 540, 1], '170, 0, -180, 1'],
])('a view of %s is a box', (view, box) => {
  expect(filterInView(null, view)).toBe(`S_INTERSECTS(geometry, BBOX(${box}))`);
});

test('what was asked for before still has to hold', () => {
  const text = filterInView('a = 1 OR a = 2', [1, 2, 3, 4]);
  const parsed = parseFilter(text);
  checkFilter(parsed, [{ name: 'a', type: 'number' }]);
  expect(parsed.expr).toMatchObject({ op: 'and', args: [{ op: 'or' }, { op: 's_intersects' }] });
});
