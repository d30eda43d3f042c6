import { displayTile, TableBuilder } from '@clean-sieve/core';
import type { Position } from 'geojson';
import type { OfClass, Sizes } from './paint.ts';
import { paintPass } from './feature_painter.ts';
import type { MapFrame, Paint } from './paint.ts';
import { tilesInView } from './tiles_in_view.ts';

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
const SIDE = 512;
class FakeContext {
  filled: FakePath[] = [];
  stroked: FakePath[] = [];
  clips: number[][] = [];
  pixels: Uint8ClampedArray = new Uint8ClampedArray(4 * SIDE * SIDE);
  save(): void {}
  restore(): void {}
  translate(): void {}
  scale(): void {}
  beginPath(): void {}
  clip(): void {}
  fillRect(): void {}
  rect(...box: number[]): void {
    this.clips.push(box);
  }
  fill(path: FakePath): void {
    this.filled.push(path);
  }
  lineWidth = 0;
  widths: number[] = [];
  stroke(path: FakePath): void {
    this.stroked.push(path);
    this.widths.push(this.lineWidth);
  }
  getImageData(_x: number, _y: number, width: number, height: number) {
    // A stamp is asked for by its size: it is all of one colour.
    return width === SIDE && height === SIDE ? { data: this.pixels } : { data: new Uint8ClampedArray(4 * width * height).fill(255) };
  }
  createImageData(width: number, height: number) {
    return { data: width === SIDE ? this.pixels : new Uint8ClampedArray(4 * width * height) };
  }
  putImageData({ data }: { data: Uint8ClampedArray }): void {
    this.pixels = data;
  }
  drawImage({ context }: { context: FakeContext }): void {
    for (const [i, value] of context.pixels.entries()) if (value > 0) this.pixels[i] = value;
  }
}
beforeAll(() =>
  Object.assign(globalThis, {
    Path2D: FakePath,
    OffscreenCanvas: class {
      context = new FakeContext();
      getContext = () => this.context;
    },
  }),
);

/** A picture of 512 by 512 pixels, 0.01° a pixel at the equator, its middle at 10.24° E 2.56° N. */
const DEGREE = (2 * Math.PI * 6_378_137) / 360;
const FRAME: MapFrame = {
  plane: 'mercator',
  center: [10.24 * DEGREE, 2.56 * DEGREE],
  resolution: DEGREE / 100,
  width: SIDE,
  height: SIDE,
  ratio: 1,
};
const PAINT: Paint = {
  colour: '#2c5b4b',
  shape: 'disc',
  radius: 3,
  line: 1,
  fill: { colour: '#2c5b4b', hatch: null },
  rim: null,
  outline: null,
  deep: null,
  alpha: 1,
};
/** About where a pixel of the picture lies. */
const place = (x: number, y: number): Position => [10.24 + (x - 256) / 100, 2.56 - (y - 256) / 100];
const square = (x: number, y: number, size: number): Position[] => [
  place(x, y),
  place(x + size, y),
  place(x + size, y + size),
  place(x, y + size),
  place(x, y),
];

function painted(polygons: Position[][], paint = PAINT, mask: Uint32Array | null = null, ofClass: OfClass | null = null) {
  const builder = new TableBuilder();
  for (const ring of polygons) builder.addFeature({ type: 'Polygon', coordinates: [ring] }, null);
  const table = builder.finish();
  const tiles = tilesInView(FRAME).map((at) => ({ at, tile: displayTile(table, at.z, at.x, at.y) }));
  const context = new FakeContext();
  const steps = [
    ...paintPass(context as unknown as OffscreenCanvasRenderingContext2D, FRAME, tiles, { paint, mask, ofClass, sizes: null }),
  ];
  return { context, steps: steps.length };
}
const inked = ({ pixels }: FakeContext) => pixels.filter((value, i) => i % 4 === 3 && value > 0).length;
const corners = ({ moves, lines }: FakePath) => moves.length + lines.length;

test('outlines are drawn some together, cut to their tile, and at pauses between', () => {
  const many = Array.from({ length: 2500 }, (_, n) => square((n % 50) * 10, Math.floor(n / 50) * 10, 6));
  const { context, steps } = painted(many, { ...PAINT, line: 2 });
  expect(context.stroked.length).toBeGreaterThan(1);
  expect(context.clips.length).toBe(context.stroked.length);
  for (const path of context.stroked) expect(corners(path)).toBeLessThan(2600);
  expect(steps).toBeGreaterThan(3);
});

test('of very many small ones the pixels are set, each once, whatever lies on it', () => {
  const many = Array.from({ length: 4000 }, (_, n) => square(40 + (n % 3), 40, 6));
  const { context } = painted(many);
  expect([context.filled, context.stroked]).toEqual([[], []]);
  const pixels = inked(context);
  expect(pixels).toBeGreaterThan(40);
  expect(pixels).toBeLessThan(160);
});

test('what is smaller than its outline is a dot, however many lie in one pixel', () => {
  const { context } = painted(Array.from({ length: 500 }, (_, n) => square(40 + n / 5000, 40, 0.5)));
  expect([context.filled, context.stroked]).toEqual([[], []]);
  expect(inked(context)).toBeGreaterThan(0);
  expect(inked(context)).toBeLessThan(40);
});

test('of classes one is drawn at a time, and of it only what the mask lets through', () => {
  const boxes = [9.6, 10.1, 10.6].map((x): Position[] => [
    [x, 2.4],
    [x + 0.3, 2.4],
    [x + 0.3, 2.7],
    [x, 2.7],
    [x, 2.4],
  ]);
  const of = (wanted: number): OfClass => ({ codes: Uint8Array.of(1, 0, 1), id: 1, wanted, drawn: [0, 1, 2] });
  const paths = (mask: number | null, wanted: number) =>
    painted(boxes, PAINT, mask === null ? null : Uint32Array.of(mask), of(wanted)).context.stroked.reduce(
      (sum, { moves }) => sum + moves.length,
      0,
    );
  const [one, all] = [paths(null, 0), painted(boxes).context.stroked.reduce((sum, { moves }) => sum + moves.length, 0)];
  expect(one).toBeGreaterThan(0);
  expect([paths(null, 1), paths(0b011, 1), paths(0b111, 2)]).toEqual([all - one, one, 0]);
});

test('what lies outside of the picture, or is masked, leaves no mark', () => {
  expect(painted([square(3000, 300, 20)]).context.stroked).toEqual([]);
  const { context } = painted([square(10, 10, 20), square(150, 50, 20)], PAINT, Uint32Array.of(0b10));
  const [first] = context.stroked.flatMap(({ moves }) => moves);
  expect(Math.abs(first[0] - 150)).toBeLessThan(1.5);
});

test('where a shape is cut at the edge of a tile no outline is drawn', () => {
  const { context } = painted([square(-2000, -2000, 5000)]);
  expect(context.filled.length).toBeGreaterThan(0);
  expect(context.stroked.flatMap(({ lines }) => lines)).toEqual([]);
});

test('without a fill only the outlines are drawn; without a line only the fill', () => {
  expect(painted([square(10, 10, 20)], { ...PAINT, fill: null }).context.filled.flatMap(({ lines }) => lines).length).toBe(0);
  expect(painted([square(10, 10, 20)], { ...PAINT, line: 0 }).context.stroked).toEqual([]);
});

test('points as large as their numbers: the larger the mark, the more of it is inked; what has no size is a small ring, what is left out nothing', () => {
  const inkOf = (levels: number[], mask: Uint32Array | null = null, classes: Sizes['classes'] = null) => {
    const builder = new TableBuilder();
    for (const [i] of levels.entries()) builder.addFeature({ type: 'Point', coordinates: place(100 + 150 * i, 256) }, null);
    const table = builder.finish();
    const tiles = tilesInView(FRAME).map((at) => ({ at, tile: displayTile(table, at.z, at.x, at.y) }));
    const context = new FakeContext();
    const sizes = { levels: Uint8Array.from(levels), id: 1, largest: 16, widest: 12, later: false, classes };
    const pass = { paint: PAINT, mask, ofClass: null, sizes };
    expect([...paintPass(context as unknown as OffscreenCanvasRenderingContext2D, FRAME, tiles, pass)].length).toBeGreaterThan(0);
    const column = (from: number, to: number) =>
      context.pixels.filter((value, i) => i % 4 === 3 && value > 0 && (i >> 2) % SIDE >= from && (i >> 2) % SIDE < to).length;
    return [column(0, 175), column(175, 325), column(325, SIDE)];
  };
  const [whole, quarter, none] = inkOf([255, 128, 0]);
  expect(whole).toBeGreaterThan(2.5 * quarter);
  expect(quarter).toBeGreaterThan(2 * none);
  expect(none).toBeGreaterThan(0);
  expect(inkOf([255, 128, 0], Uint32Array.of(0b101))[1]).toBe(0);
  // Of classes those that are drawn.
  const marks = [{ wanted: 3, colour: '#123456', shape: 'disc' as const }];
  const [one, other] = inkOf([255, 128, 0], null, { codes: Uint8Array.of(3, 4, 4), id: 2, marks });
  expect([one, other]).toEqual([whole, 0]);
});

test('lines as wide as their numbers: the widest first, each width at once, those without a number thin; of a class its own', () => {
  const widthsOf = (levels: number[], ofClass: OfClass | null = null) => {
    const builder = new TableBuilder();
    for (const [i] of levels.entries())
      builder.addFeature({ type: 'LineString', coordinates: [place(20, 20 + 8 * i), place(200, 20 + 8 * i)] }, null);
    const table = builder.finish();
    const tiles = tilesInView(FRAME).map((at) => ({ at, tile: displayTile(table, at.z, at.x, at.y) }));
    const context = new FakeContext();
    const sizes: Sizes = { levels: Uint8Array.from(levels), id: 1, largest: 16, widest: 12, later: ofClass !== null, classes: null };
    const pass = { paint: PAINT, mask: null, ofClass, sizes };
    expect([...paintPass(context as unknown as OffscreenCanvasRenderingContext2D, FRAME, tiles, pass)].length).toBeGreaterThan(0);
    return [...new Set(context.widths)];
  };
  expect(widthsOf([0, 255, 127, 255]).map((width) => Number(width.toFixed(2)))).toEqual([12, 2.98, 0.6]);
  expect(widthsOf([0, 255, 127], { codes: Uint8Array.of(0, 1, 0), id: 1, wanted: 1, drawn: [1] })).toEqual([12]);
});
