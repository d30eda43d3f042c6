import { call, emptyTree, Geos, Shape, Sifter, TableBuilder, type Box, type Group } from '@clean-sieve/core';
import type { Polygon } from 'geojson';
import { labelsIn } from './label_answers.ts';

const C_SHAPED: Polygon = {
  type: 'Polygon',
  coordinates: [
    [
      [0, 0],
      [4, 0],
      [4, 1],
      [1, 1],
      [1, 3],
      [4, 3],
      [4, 4],
      [0, 4],
      [0, 0],
    ],
  ],
};
let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

function labelled(tree: Group, box: Box, points = 3) {
  const builder = new TableBuilder();
  builder.addFeature(C_SHAPED, { name: 'court', n: 1 });
  for (let i = 0; i < points; i++)
    builder.addFeature({ type: 'Point', coordinates: [10 + i / 1000, 10] }, { name: i === 1 ? null : `p${i}`, n: 2 });
  const table = builder.finish();
  return labelsIn(new Sifter(table, 0, table.crs, geos), { tree }, box, table.columns[0], geos);
}

test('labels stand on their features, of what is kept and in the box; blanks are not written', () => {
  const { labels, total } = labelled(emptyTree(), [-1, -1, 20, 20]);
  expect([total, labels.map(({ value }) => value)]).toEqual([3, ['court', 'p0', 'p2']]);
  const [{ lon, lat }] = labels;
  expect(new Shape(C_SHAPED).covers(lon, lat)).toBe(true);
  expect(labels[2]).toEqual({ key: 3, lon: 10.002, lat: 10, value: 'p2' });
  expect(labelled(emptyTree(), [9, 9, 11, 11]).total).toBe(2);
  const tree: Group = { ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr: call('=', { property: 'n' }, 1) }] };
  expect(labelled(tree, [-1, -1, 20, 20]).labels.map(({ value }) => value)).toEqual(['court']);
});

test('a box that goes on beyond 180° has what lies on the other side', () => {
  const builder = new TableBuilder();
  for (const lon of [179, -179, 0]) builder.addFeature({ type: 'Point', coordinates: [lon, 5] }, { lon });
  const table = builder.finish();
  const asked = (box: Box) => labelsIn(new Sifter(table, 0, table.crs, geos), { tree: emptyTree() }, box, table.columns[0], geos);
  expect(asked([170, 0, 190, 10]).labels.map(({ value }) => value)).toEqual([179, -179]);
  expect(asked([170, 0, 180, 10]).labels.map(({ value }) => value)).toEqual([179]);
});

test('of more than fit, some are told, spread over all, and how many there are', () => {
  const { labels, total } = labelled(emptyTree(), [9, 9, 12, 11], 1002);
  expect([total, labels.length]).toEqual([1001, 334]);
  expect(labels[labels.length - 1].value).toBe('p1000');
});
