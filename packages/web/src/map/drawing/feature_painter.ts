import { LARGEST_LEVEL, type DisplayTile } from '@clean-sieve/core';
import { HIGH, LOW } from '@clean-sieve/core/tiles/clip';
import { ClassPixels } from './class_pixels.ts';
import { hatchOf } from './hatch.ts';
import type { MapFrame, OfClass, Paint, Pass, Sizes } from './paint.ts';
import { widthOf } from './line_widths.ts';
import { drawSized } from './sized_points.ts';
import { PixelSet } from './pixel_set.ts';
import type { PointCrowd } from './point_crowd.ts';
import { addEdges, addInside, type PixelRings } from './small_polygon.ts';
import { blend, pixelOf, stampDeep, stampOf, stampPlain, type Stamp } from './stamp.ts';
import type { TileInView } from './tiles_in_view.ts';

/** A tile with what is in it. */
export interface PlacedTile {
  at: TileInView;
  tile: DisplayTile;
}

/** Above so many points in one pass the symbols shrink, so that the shape of the whole stays readable. */
export const CROWD = 40_000;
/** Lines and polygons smaller than this in both directions, in CSS pixels, are no more than their own outline: dots. */
const SMALL = 2;
/** Of more parts than this, those below so many CSS pixels both ways go straight to the pixels, without smooth edges. */
const MANY = 3000;
const PLAIN = 12;
/** Lines from so many CSS pixels on are wide at any length. */
const THICK = 2;
/** Corners that are drawn together: a path of very many costs more than its parts, and one of few has its own price. */
const BATCH_CORNERS = 2000;
/** Features between two pauses. */
const BETWEEN = 2000;

/**
 * Draws the features of one source that a pass lets through, in steps: what calls it decides at each whether to go on. Every
 * feature leaves a mark, each pixel of dots and points once.
 * @param shared what the passes of one classing share, and the points of these tiles where they are a crowd
 * @returns how many of a crowd of points lie on one spot at most, where its colour tells that; 0 elsewhere
 */
export function* paintPass(
  context: OffscreenCanvasRenderingContext2D,
  frame: MapFrame,
  tiles: readonly PlacedTile[],
  { paint, mask, ofClass, sizes }: Pick<Pass, 'paint' | 'mask' | 'ofClass' | 'sizes'>,
  { classes = null, crowd = null }: { classes?: ClassPixels | null; crowd?: PointCrowd | null } = {},
): Generator<void, number> {
  const { width, height, ratio } = frame;
  const shown = shownBy(mask, ofClass);
  if (sizes?.classes) {
    yield* drawSized(context, frame, tiles, paint, sizes, shown);
    return 0;
  }
  const marks = new Marks(width, height);
  const plain = tiles.reduce((sum, { tile }) => sum + tile.partRows.length, 0) > MANY ? PLAIN : 0;
  for (const { at, tile } of tiles) {
    yield* paintParts(context, { at, tile }, paint, sizes, ratio, plain, marks, shown);
    if (!ofClass) marks.dots.addRows(tile.dotRows, tile.dotXy, at, mask);
    yield;
  }
  if (ofClass) {
    const pixels = classes ?? new ClassPixels(width, height, ofClass);
    yield* pixels.fill(tiles, mask, ofClass.codes);
    for (const at of pixels.dotsOf(ofClass)) marks.dots.addAt(at);
    if (!sizes) for (const at of pixels.pointsOf(ofClass)) marks.points.addAt(at);
    marks.draw(context, { ...paint, deep: null }, ratio, pixels.passed);
    return 0;
  }
  if (sizes) {
    marks.draw(context, paint, ratio, 0);
    if (!sizes.later) yield* drawSized(context, frame, tiles, paint, sizes, shown);
    return 0;
  }
  const counted = paint.deep && crowd?.count(mask);
  if (counted && counted.passed > CROWD) return marks.draw(context, paint, ratio, counted.passed, counted.depths);
  let points = 0;
  for (const { at, tile } of tiles) {
    points += marks.points.addRows(tile.pointRows, tile.pointXy, at, mask);
    yield;
  }
  return marks.draw(context, paint, ratio, points);
}

function shownBy(mask: Uint32Array | null, ofClass: OfClass | null): (row: number) => boolean {
  const inMask = mask ? (row: number) => ((mask[row >>> 5] >>> (row & 31)) & 1) === 1 : () => true;
  if (!ofClass) return inMask;
  const { codes, wanted } = ofClass;
  return (row) => codes[row] === wanted && inMask(row);
}

/** What is drawn pixel by pixel at the end of a pass. */
class Marks {
  readonly dots: PixelSet;
  readonly inside: PixelSet;
  readonly points: PixelSet;
  readonly #width: number;
  readonly #height: number;

  constructor(width: number, height: number) {
    [this.#width, this.#height] = [width, height];
    [this.dots, this.inside, this.points] = [1, 2, 3].map(() => new PixelSet(width, height));
  }

  /** @param depths how many points lie on each pixel, where the colour tells that; the pixels of points are not looked at then */
  draw(context: OffscreenCanvasRenderingContext2D, paint: Paint, ratio: number, points: number, depths: Uint32Array | null = null): number {
    const crowded = points > CROWD ? Math.max(0.45, Math.sqrt(CROWD / points)) : 1;
    const radius = Math.max(0.8, paint.radius * crowded) * ratio;
    const rim = radius > 2 ? paint.rim : null;
    const dot = stampOf('disc', paint.colour, (Math.max(1.5, paint.line) * ratio) / 2, null);
    if (paint.fill) this.#print(context, this.inside, pixelOf(paint.fill.colour), paint.alpha * 0.32);
    this.#print(context, this.dots, dot, paint.alpha);
    const { deep, alpha } = paint;
    if (!depths || !deep) {
      this.#print(context, this.points, stampOf(paint.shape, paint.colour, radius, rim), paint.alpha);
      return 0;
    }
    const stamp = stampOf(paint.shape, paint.colour, radius, null);
    return this.#sheet(context, 1, (data) => stampDeep(data, this.#width, this.#height, stamp, deep, alpha, depths));
  }

  /** Puts a stamp onto each of the pixels. */
  #print(context: OffscreenCanvasRenderingContext2D, pixels: PixelSet, stamp: Stamp, alpha: number): void {
    if (pixels.size === 0) return;
    const [width, height] = [this.#width, this.#height];
    // A stamp of several colours has its own edges: it is made transparent as a whole.
    this.#sheet(context, stamp.plain ? 1 : alpha, (data) => {
      if (stamp.plain) stampPlain(data, width, height, stamp, stamp.plain, alpha, pixels);
      else pixels.each((x, y) => blend(data, width, height, stamp, x, y));
    });
  }

  /** Lays a sheet of pixels over what is drawn. */
  #sheet<T>(context: OffscreenCanvasRenderingContext2D, alpha: number, fill: (data: ImageDataArray) => T): T {
    const sheet = new OffscreenCanvas(this.#width, this.#height);
    const paper = sheet.getContext('2d')!;
    const image = paper.createImageData(this.#width, this.#height);
    const filled = fill(image.data);
    paper.putImageData(image, 0, 0);
    context.globalAlpha = alpha;
    context.drawImage(sheet, 0, 0);
    context.globalAlpha = 1;
    return filled;
  }
}

function* paintParts(
  context: OffscreenCanvasRenderingContext2D,
  { at, tile }: PlacedTile,
  paint: Paint,
  sizes: Sizes | null,
  ratio: number,
  plain: number,
  marks: Marks,
  shown: (row: number) => boolean,
): Generator<void, void> {
  const { partRows, partKinds, partRings } = tile;
  if (partRows.length === 0) return;
  const paths = new Paths(context, at, tile, paint, ratio);
  const order = sizes && byWidth(tile, sizes);
  const boxes = boxesOf(tile);
  for (let i = 0; i < partRows.length; i++) {
    if (i % BETWEEN === BETWEEN - 1) {
      paths.finish();
      yield;
    }
    const part = order ? order[i] : i;
    if (!shown(partRows[part])) continue;
    const width = sizes && partKinds[part] === 1 ? widthOf(sizes.levels[partRows[part]], sizes) : paint.line;
    paths.useWidth(width);
    const rings: [number, number] = [partRings[part], partRings[part + 1]];
    const [minX, minY, maxX, maxY] = [boxes[4 * part], boxes[4 * part + 1], boxes[4 * part + 2], boxes[4 * part + 3]];
    const side = Math.max(maxX - minX, maxY - minY) * at.scale;
    if (side < SMALL * ratio) marks.dots.add(at.left + ((minX + maxX) / 2) * at.scale, at.top + ((minY + maxY) / 2) * at.scale);
    else if (side < plain * ratio && width < THICK) {
      const pixels = pixelRings(at, tile, rings);
      addEdges(pixels, partKinds[part] === 2, marks.dots);
      if (paint.fill && partKinds[part] === 2) addInside(pixels, marks.inside);
    } else paths.add(rings, partKinds[part] === 2);
  }
  paths.finish();
}

/** Parts of a tile: polygons, then the lines from the widest on, so that thin ones lie on top. */
function byWidth({ partRows, partKinds }: DisplayTile, { levels }: Sizes): Uint32Array {
  const rankOf = (part: number) => (partKinds[part] === 1 ? LARGEST_LEVEL - levels[partRows[part]] + 1 : 0);
  const starts = new Uint32Array(LARGEST_LEVEL + 3);
  for (let part = 0; part < partRows.length; part++) starts[rankOf(part) + 1]++;
  for (let rank = 0; rank < LARGEST_LEVEL + 2; rank++) starts[rank + 1] += starts[rank];
  const order = new Uint32Array(partRows.length);
  for (let part = 0; part < partRows.length; part++) order[starts[rankOf(part)]++] = part;
  return order;
}

/** The boxes of the parts of a tile, four numbers each in its own units; they do not change with the picture. */
const knownBoxes = new WeakMap<DisplayTile, Int16Array>();

/** Of the first ring of each part, which all others of it lie in. */
function boxesOf(tile: DisplayTile): Int16Array {
  const known = knownBoxes.get(tile);
  if (known) return known;
  const { partRows, partRings, ringVertices, xy } = tile;
  const boxes = new Int16Array(4 * partRows.length);
  for (let part = 0; part < partRows.length; part++) {
    const ring = partRings[part];
    const from = ringVertices[ring];
    let [minX, minY, maxX, maxY] = [xy[2 * from], xy[2 * from + 1], xy[2 * from], xy[2 * from + 1]];
    for (let v = from + 1; v < ringVertices[ring + 1]; v++) {
      const [x, y] = [xy[2 * v], xy[2 * v + 1]];
      if (x < minX) minX = x;
      if (x > maxX) maxX = x;
      if (y < minY) minY = y;
      if (y > maxY) maxY = y;
    }
    boxes.set([minX, minY, maxX, maxY], 4 * part);
  }
  knownBoxes.set(tile, boxes);
  return boxes;
}

function pixelRings({ left, top, scale }: TileInView, tile: DisplayTile, [first, end]: [number, number]): PixelRings {
  const { ringVertices, xy } = tile;
  const rings: PixelRings = { xy: [], starts: [0] };
  for (let ring = first; ring < end; ring++) {
    for (let v = ringVertices[ring]; v < ringVertices[ring + 1]; v++) rings.xy.push(left + xy[2 * v] * scale, top + xy[2 * v + 1] * scale);
    rings.starts.push(rings.xy.length);
  }
  return rings;
}

/** Lines and polygons of a tile on their way to the canvas, some together, cut to the tile. */
class Paths {
  readonly #context: OffscreenCanvasRenderingContext2D;
  readonly #at: TileInView;
  readonly #tile: DisplayTile;
  readonly #paint: Paint;
  readonly #ratio: number;
  #outline = new Path2D();
  #inside = new Path2D();
  #corners = 0;
  #width: number;

  constructor(context: OffscreenCanvasRenderingContext2D, at: TileInView, tile: DisplayTile, paint: Paint, ratio: number) {
    [this.#context, this.#at, this.#tile, this.#paint, this.#ratio] = [context, at, tile, paint, ratio];
    this.#width = paint.line;
  }

  /** Lines that come from here on are so many CSS pixels wide. */
  useWidth(width: number): void {
    if (width === this.#width) return;
    this.finish();
    this.#width = width;
  }

  add([first, end]: [number, number], polygon: boolean): void {
    for (let ring = first; ring < end; ring++) this.#trace(ring, polygon);
    if (this.#corners > BATCH_CORNERS) this.finish();
  }

  #trace(ring: number, polygon: boolean): void {
    const { ringVertices, xy } = this.#tile;
    const { left, top, scale } = this.#at;
    const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
    const fill = polygon && this.#paint.fill !== null;
    for (let i = from; i <= to; i++) {
      // A polygon's ring goes back to where it began; a line does not.
      if (i === to && !polygon) break;
      const v = i === to ? from : i;
      const [x, y] = [left + xy[2 * v] * scale, top + xy[2 * v + 1] * scale];
      if (i === from) {
        this.#outline.moveTo(x, y);
        if (fill) this.#inside.moveTo(x, y);
        continue;
      }
      if (polygon && this.#alongCut(i - 1, v)) this.#outline.moveTo(x, y);
      else this.#outline.lineTo(x, y);
      if (fill) this.#inside.lineTo(x, y);
      this.#corners++;
    }
  }

  /** Whether an edge runs where the shape was cut, at the outer edge of the tile's margin: it is not stroked. */
  #alongCut(a: number, b: number): boolean {
    const { xy } = this.#tile;
    for (const axis of [0, 1]) {
      const [p, q] = [xy[2 * a + axis], xy[2 * b + axis]];
      if (p === q && (p === LOW || p === HIGH)) return true;
    }
    return false;
  }

  /** Draws what has come together. */
  finish(): void {
    if (this.#corners > 0) {
      const { colour, fill, outline, alpha } = this.#paint;
      const [left, top, right, bottom] = this.#at.clip;
      const context = this.#context;
      context.save();
      context.beginPath();
      context.rect(left, top, right - left, bottom - top);
      context.clip();
      context.globalAlpha = alpha;
      if (fill) {
        context.fillStyle = fill.hatch === null ? fill.colour : hatchOf(fill.colour, fill.hatch);
        context.fill(this.#inside, 'nonzero');
      }
      if (this.#width > 0) {
        [context.lineJoin, context.lineCap] = ['round', 'round'];
        context.strokeStyle = outline ?? colour;
        context.lineWidth = this.#width * this.#ratio;
        context.stroke(this.#outline);
      }
      context.restore();
    }
    [this.#outline, this.#inside, this.#corners] = [new Path2D(), new Path2D(), 0];
  }
}
