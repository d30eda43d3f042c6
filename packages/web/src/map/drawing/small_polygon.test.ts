import { PixelSet } from './pixel_set.ts';
import { addEdges, addInside } from './small_polygon.ts';

const drawn = (pixels: PixelSet) => {
  const out: string[] = [];
  pixels.each((x, y) => out.push(`${x} ${y}`));
  return out.sort();
};
const SQUARE = [2, 2, 6, 2, 6, 6, 2, 6];
const HOLE = [3, 3, 3, 5, 5, 5, 5, 3];

test('the edges of a ring go round, those of a line do not', () => {
  const [ring, line] = [new PixelSet(10, 10), new PixelSet(10, 10)];
  addEdges({ xy: SQUARE, starts: [0, 8] }, true, ring);
  addEdges({ xy: SQUARE, starts: [0, 8] }, false, line);
  expect([ring.size, line.size]).toEqual([16, 13]);
  expect(drawn(line)).not.toContain('2 4');
});

test('inside is what lies in an odd number of rings', () => {
  const inside = new PixelSet(10, 10);
  addInside({ xy: [...SQUARE, ...HOLE], starts: [0, 8, 16] }, inside);
  const pixels = drawn(inside);
  expect(pixels).toContain('2 3');
  expect(pixels).not.toContain('4 4');
});

test('what lies beyond the picture, or nowhere, is left out; a pixel is in it once', () => {
  const pixels = new PixelSet(4, 3);
  for (const [x, y] of [
    [-1, 0],
    [4, 0],
    [0, 3],
    [NaN, 1],
    [1.4, 1],
    [1, 0.6],
  ])
    pixels.add(x, y);
  expect(drawn(pixels)).toEqual(['1 1']);
});
