import { displayGeometry, TableBuilder, type DisplayGeometry } from '@clean-sieve/core';
import type { Position } from 'geojson';
import { paintFeatures, type Frame, type Paint } from './feature_painter.ts';

// A canvas that only writes down what is asked of it.
class FakePath {
  moves: number[][] = [];
  lines: number[][] = [];
  moveTo(x: number, y: number): void {
    this.moves.push([x, y]);
  }
  lineTo(x: number, y: number): void {
    this.lines.push([x, y]);
  }
}
class FakeContext {
  filled: FakePath[] = [];
  stroked: FakePath[] = [];
  pixels = new Uint8ClampedArray(4 * 100 * 100);
  save(): void {}
  restore(): void {}
  translate(): void {}
  scale(): void {}
  fill(path: FakePath): void {
    this.filled.push(path);
  }
  stroke(path: FakePath): void {
    this.stroked.push(path);
  }
  getImageData(_x: number, _y: number, width: number, height: number) {
    // A stamp is asked for by its size: it is all of one colour.
    return width === 100 && height === 100 ? { data: this.pixels } : { data: new Uint8ClampedArray(4 * width * height).fill(255) }; // prettier-ignore
  }
  putImageData(): void {}
}
beforeAll(
  () =>
  Object.assign(globalThis, { Path2D: FakePath, OffscreenCanvas: class { getContext = () => new FakeContext(); } }), // prettier-ignore
);

const FRAME: Frame = { width: 100, height: 100, scale: 0, x: 0, y: 0, ratio: 1 };
const PAINT: Paint = { colour: '#2c5b4b', shape: 'disc', radius: 3, line: 1, fill: '#2c5b4b', rim: null, alpha: 1 };

/** Polygons with corners in pixels of a picture of 100 by 100, and the frame that brings them there. */
function painted(
  polygons: Position[][],
  paint = PAINT,
  mask: Uint32Array | null = null,
): { context: FakeContext; display: DisplayGeometry } {
  // prettier-ignore
  const builder = new TableBuilder();
  // A ten-thousandth of a degree a pixel, near the equator.
  for (const ring of polygons) builder.addFeature({ type: 'Polygon', coordinates: [[...ring, ring[0]].map(([x, y]) => [x / 10_000, -y / 10_000])] }, null); // prettier-ignore
  const display = displayGeometry(builder.finish());
  const metres = (2 * Math.PI * 6_378_137) / 360 / 10_000;
  const frame = { ...FRAME, scale: 1 / metres, x: display.origin[0] / metres, y: -display.origin[1] / metres };
  const context = new FakeContext();
  paintFeatures(context as unknown as OffscreenCanvasRenderingContext2D, display, frame, paint, mask);
  return { context, display };
}
const square = (x: number, y: number, size: number): Position[] => [[x, y], [x + size, y], [x + size, y + size], [x, y + size]]; // prettier-ignore
const inked = ({ pixels }: FakeContext) => pixels.filter((value, i) => i % 4 === 3 && value > 0).length;

test('each polygon is filled by itself, so that those that overlap do not open one another', () => {
  const { context } = painted([square(10, 10, 30), square(20, 20, 30)]);
  expect(context.filled).toHaveLength(2);
  expect(context.filled.map(({ moves, lines }) => [moves.length, lines.length])).toEqual([[1, 4], [1, 4]]); // prettier-ignore
});

test('outlines are stroked some together, and a long one in pieces that go on where the one before ended', () => {
  const { context } = painted(Array.from({ length: 700 }, (_, n) => square(n % 80, Math.floor(n / 80) * 9, 6)));
  const corners = context.stroked.map(({ moves, lines }) => moves.length + lines.length);
  expect(context.stroked.length).toBeGreaterThan(1);
  expect(Math.max(...corners)).toBeLessThanOrEqual(2002);
  expect(context.stroked.reduce((sum, { lines }) => sum + lines.length, 0)).toBe(700 * 4);

  // A ring that goes round and round, a pixel at a step.
  const long = Array.from({ length: 5000 }, (_, n): Position => [50 + 40 * Math.sin(n), 50 + 40 * Math.cos(n)]);
  const { stroked } = painted([long]).context;
  expect(stroked.length).toBe(3);
  for (const [i, path] of stroked.slice(1).entries()) expect(path.moves[0]).toEqual(stroked[i].lines.at(-1));
});

test('what is smaller than its outline is a dot, however many lie in one pixel', () => {
  const { context } = painted(Array.from({ length: 500 }, (_, n) => square(40 + n / 5000, 40, 0.5)));
  expect([context.filled.filter(({ lines }) => lines.length > 0), context.stroked]).toEqual([[], []]);
  expect(inked(context)).toBeGreaterThan(0);
  expect(inked(context)).toBeLessThan(40);
});

test('what lies outside of the picture, or is masked, leaves no mark', () => {
  expect(painted([square(300, 300, 20)]).context.stroked).toEqual([]);
  const { context } = painted([square(10, 10, 20), square(50, 50, 20)], PAINT, Uint32Array.of(0b10));
  expect(context.stroked[0].moves).toHaveLength(1);
  expect(context.stroked[0].moves[0][0]).toBeCloseTo(50, 0);
});

test('without a fill only the outlines are drawn; without a line only the fill', () => {
  expect(painted([square(10, 10, 20)], { ...PAINT, fill: null }).context.filled).toEqual([]);
  expect(painted([square(10, 10, 20)], { ...PAINT, line: 0 }).context.stroked).toEqual([]);
});
