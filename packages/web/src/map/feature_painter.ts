import type { DisplayGeometry } from '@clean-sieve/core';
import type { Shape } from '../words/palette.ts';
import { blend, stampOf } from './stamp.ts';

/** From source coordinates (metres from the display's origin) to device pixels. */
export interface Frame {
  width: number;
  height: number;
  /** Device pixels a metre. */
  scale: number;
  /** Device pixel of the display's origin. */
  x: number;
  y: number;
  /** Device pixels a CSS pixel. */
  ratio: number;
}

export interface Paint {
  colour: string;
  shape: Shape;
  /** Radius of point symbols and width of lines in CSS pixels. */
  radius: number;
  line: number;
  /** Colour with which polygons are filled; null leaves them open. */
  fill: string | CanvasPattern | null;
  rim: string | null;
  alpha: number;
}

/** Above so many points in one pass the symbols shrink, so that the shape of the whole stays readable. */
const CROWD = 40_000;

/** What is smaller than this in both directions, in CSS pixels, is no more than its own outline: it is drawn as a dot. */
const SMALL = 2;
/** Corners that are stroked together: a path of very many costs more than its parts, and one of few has its own price. */
const BATCH_CORNERS = 2000;

/**
 * Draws the features of one display geometry that a mask lets through. Every one leaves a mark: the smallest are dots, one
 * a pixel.
 * @param mask bit a row; null draws all
 * @param invert draws the rows whose bit is not set
 */
export function paintFeatures(
  context: OffscreenCanvasRenderingContext2D,
  display: DisplayGeometry,
  frame: Frame,
  paint: Paint,
  mask: Uint32Array | null,
  invert = false,
): void {
  const { rows, rowParts, partKinds } = display;
  const flip = invert ? 1 : 0;
  const shown = (row: number) => mask === null || ((mask[row >>> 5] >>> (row & 31)) & 1) !== flip;
  const points: number[] = [];
  const outlines = new Outlines(context, display, frame, paint);
  for (let row = 0; row < rows; row++) {
    if (!shown(row)) continue;
    for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
      if (partKinds[part] === 0) points.push(part);
      else outlines.add(part);
    }
  }
  outlines.finish();
  if (points.length > 0) stampPoints(context, display, points, frame, paint);
}

/** Lines and polygons on their way to the canvas: each polygon filled by itself, outlines stroked some together. */
class Outlines {
  readonly #context: OffscreenCanvasRenderingContext2D;
  readonly #display: DisplayGeometry;
  readonly #frame: Frame;
  readonly #paint: Paint;
  #path = new Path2D();
  #corners = 0;
  /** Pixels amid something small. */
  #dots = new Set<number>();

  constructor(context: OffscreenCanvasRenderingContext2D, display: DisplayGeometry, frame: Frame, paint: Paint) {
    [this.#context, this.#display, this.#frame, this.#paint] = [context, display, frame, paint];
    context.save();
    context.globalAlpha = paint.alpha;
    context.lineJoin = 'round';
    context.lineCap = 'round';
    if (paint.fill) context.fillStyle = paint.fill;
    context.strokeStyle = paint.colour;
    context.lineWidth = paint.line * frame.ratio;
  }

  add(part: number): void {
    const { partRings, partKinds } = this.#display;
    const inside = this.#paint.fill && partKinds[part] === 2 ? new Path2D() : null;
    for (let ring = partRings[part]; ring < partRings[part + 1]; ring++) this.#trace(ring, inside);
    if (inside) this.#context.fill(inside, 'evenodd');
  }

  finish(): void {
    this.#stroke();
    this.#context.restore();
    if (this.#dots.size > 0) this.#stampDots();
  }

  #stroke(): void {
    if (this.#corners > 0 && this.#paint.line > 0) this.#context.stroke(this.#path);
    this.#path = new Path2D();
    this.#corners = 0;
  }

  /** Adds a ring, which ends where it begins, leaving out corners less than half a pixel from the last one drawn. */
  #trace(ring: number, inside: Path2D | null): void {
    const { ringVertices, xy } = this.#display;
    const { x: x0, y: y0, scale, width, height, ratio } = this.#frame;
    const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
    if (from === to) return;
    let [minX, minY, maxX, maxY] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let v = from; v < to; v++) {
      const [x, y] = [xy[2 * v], xy[2 * v + 1]];
      if (x < minX) minX = x;
      if (x > maxX) maxX = x;
      if (y < minY) minY = y;
      if (y > maxY) maxY = y;
    }
    const [left, right] = [x0 + minX * scale, x0 + maxX * scale];
    const [top, bottom] = [y0 - maxY * scale, y0 - minY * scale];
    if (right < -8 || left > width + 8 || bottom < -8 || top > height + 8) return;
    if (right - left < SMALL * ratio && bottom - top < SMALL * ratio) {
      const [column, row] = [Math.round((left + right) / 2), Math.round((top + bottom) / 2)];
      if (column >= 0 && row >= 0 && column < width && row < height) this.#dots.add(row * width + column);
      return;
    }
    let [lastX, lastY] = [NaN, NaN];
    for (let v = from; v < to; v++) {
      const x = x0 + xy[2 * v] * scale;
      const y = y0 - xy[2 * v + 1] * scale;
      if (v === from) {
        this.#path.moveTo(x, y);
        inside?.moveTo(x, y);
      } else if (Math.abs(x - lastX) < 0.5 && Math.abs(y - lastY) < 0.5 && v < to - 1) continue;
      else {
        this.#path.lineTo(x, y);
        inside?.lineTo(x, y);
      }
      [lastX, lastY] = [x, y];
      if (++this.#corners <= BATCH_CORNERS) continue;
      this.#stroke();
      this.#path.moveTo(x, y);
    }
  }

  #stampDots(): void {
    const { width, height, ratio } = this.#frame;
    const { colour, line, alpha } = this.#paint;
    const stamp = stampOf('disc', colour, (Math.max(1.5, line) * ratio) / 2, null, alpha);
    const image = this.#context.getImageData(0, 0, width, height);
    for (const at of this.#dots) blend(image.data, width, height, stamp, at % width, Math.floor(at / width));
    this.#context.putImageData(image, 0, 0);
  }
}

function stampPoints(
  context: OffscreenCanvasRenderingContext2D,
  display: DisplayGeometry,
  parts: number[],
  frame: Frame,
  paint: Paint,
): void {
  const { partRings, ringVertices, xy } = display;
  const crowded = parts.length > CROWD ? Math.max(0.45, Math.sqrt(CROWD / parts.length)) : 1;
  const radius = Math.max(0.8, paint.radius * crowded) * frame.ratio;
  const stamp = stampOf(paint.shape, paint.colour, radius, radius > 2 ? paint.rim : null, paint.alpha);
  const image = context.getImageData(0, 0, frame.width, frame.height);
  for (const part of parts) {
    const v = ringVertices[partRings[part]];
    blend(
      image.data,
      frame.width,
      frame.height,
      stamp,
      frame.x + xy[2 * v] * frame.scale,
      frame.y - xy[2 * v + 1] * frame.scale,
    );
  }
  context.putImageData(image, 0, 0);
}
