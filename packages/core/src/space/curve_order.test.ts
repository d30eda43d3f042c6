import fc from 'fast-check';
import { curveOrder } from './curve_order.ts';

const box = fc
  .tuple(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: -90, max: 90, noNaN: true }), fc.nat(3), fc.nat(3))
  .map(([x, y, width, height]) => [x, y, x + width, y + height]);
const EXTENT: [number, number, number, number] = [-180, -90, 183, 93];

test('every position occurs once; those without a range come last, in their order', () => {
  fc.assert(
    fc.property(fc.array(fc.option(box, { nil: [Infinity, Infinity, -Infinity, -Infinity] }), { maxLength: 300 }), (boxes) => {
      const order = [...curveOrder(Float64Array.from(boxes.flat()), EXTENT)];
      expect(order.toSorted((a, b) => a - b)).toEqual(boxes.map((_, i) => i));
      const blank = boxes.flatMap(([x], i) => (x === Infinity ? [i] : []));
      expect(order.slice(boxes.length - blank.length)).toEqual(blank);
    }),
  );
});

test('the curve visits the quarters of a square one after the other, and each step goes to a neighbour', () => {
  const side = 16;
  const cells = Array.from({ length: side * side }, (_, i) => [i % side, Math.floor(i / side)]);
  const order = curveOrder(Float64Array.from(cells.flatMap(([x, y]) => [x, y, x, y])), [0, 0, side - 1, side - 1]);
  const path = [...order].map((i) => cells[i]);
  const steps = path.slice(1).map(([x, y], i) => Math.abs(x - path[i][0]) + Math.abs(y - path[i][1]));
  expect(new Set(steps)).toEqual(new Set([1]));
  const quarter = path.map(([x, y]) => `${x < side / 2} ${y < side / 2}`);
  expect(quarter.filter((name, i) => name !== quarter[i - 1])).toHaveLength(4);
});
