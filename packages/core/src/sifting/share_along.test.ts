import fc from 'fast-check';
import type { Geometry, Position } from 'geojson';
import { count } from '../features/mask.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { call, property } from '../filters/ast.ts';
import { Geos } from '../geos/geos.ts';
import { measureOfGeometry } from '../space/measure_geometry.ts';
import { operandCall } from './spatial.ts';
import { Sifter } from './sifter.ts';

let geos: Geos;
beforeAll(async () => (geos = await Geos.open()));

const strip = (from: number, to: number): Geometry => ({
  type: 'Polygon',
  coordinates: [
    [
      [from, -1],
      [to, -1],
      [to, 1],
      [from, 1],
      [from, -1],
    ],
  ],
});
const tableOf = (shapes: Geometry[]) => {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, { n: 1 });
  return builder.finish();
};

/** Whether at least so many percent of a line lie in what strips between longitudes cover together. */
function hasShare(line: Position[], strips: [number, number][], percent: number): boolean {
  const table = tableOf([{ type: 'LineString', coordinates: line }]);
  const sifter = new Sifter(table, 0, undefined, geos);
  const others = tableOf(strips.map(([from, to]) => strip(from, to)));
  sifter.operands = new Map([['SOURCE strips', { key: 'strips', table: others, rows: null }]]);
  expect(operandCall('strips').op).toBe('OPERAND');
  return count(sifter.verdict(call('S_SHARE_IN', property('geometry'), call('SOURCE', 'strips'), percent)).yes) === 1;
}

/** The share by cutting the line where strips begin and end: arithmetic alone. */
function plainShare(line: Position[], strips: [number, number][]): number {
  let [inside, whole] = [0, 0];
  for (let i = 1; i < line.length; i++) {
    const [[x1, y1], [x2, y2]] = [line[i - 1], line[i]];
    const cuts = [0, 1, ...strips.flat().map((x) => (x - x1) / (x2 - x1))].filter((t) => t >= 0 && t <= 1).sort((a, b) => a - b);
    for (let k = 1; k < cuts.length; k++) {
      const at = (t: number): Position => [x1 + t * (x2 - x1), y1 + t * (y2 - y1)];
      const { length } = measureOfGeometry({ type: 'LineString', coordinates: [at(cuts[k - 1]), at(cuts[k])] });
      const [middle] = at((cuts[k - 1] + cuts[k]) / 2);
      whole += length;
      if (strips.some(([from, to]) => from < middle && middle < to)) inside += length;
    }
  }
  return (100 * inside) / whole;
}

test('what neighbours and overlapping polygons cover of a line counts once', () => {
  const bound = fc.double({ min: 0, max: 3, noNaN: true, noDefaultInfinity: true });
  const strips = fc
    .array(bound, { minLength: 2, maxLength: 6 })
    .map((bounds) => [...new Set(bounds.map((value) => Number(value.toFixed(4))))].sort((a, b) => a - b))
    .filter((bounds) => bounds.length > 1)
    // Each with its neighbour, and one over all but the last.
    .map((bounds) => bounds.slice(1).map((to, i): [number, number] => [bounds[i > 1 ? i - 1 : i], to]));
  const y = fc.double({ min: -0.9, max: 0.9, noNaN: true });
  fc.assert(
    fc.property(strips, y, y, y, (parts, a, b, c) => {
      const line: Position[] = [
        [0, a],
        [1.3, b],
        [3, c],
      ];
      const share = plainShare(line, parts);
      if (share > 0.1) expect(hasShare(line, parts, Math.min(100, share - 0.01))).toBe(true);
      if (share < 99.9) expect(hasShare(line, parts, share + 0.01)).toBe(false);
    }),
    { numRuns: 120 },
  );
});
