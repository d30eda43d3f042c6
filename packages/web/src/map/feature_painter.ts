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

/**
 * Draws the features of one display geometry that a mask lets through. Every one leaves a mark: what is smaller than a
 * pixel is drawn as a dot.
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
  const path = new Path2D();
  const dots = new Path2D();
  let lines = false;
  for (let row = 0; row < rows; row++) {
    if (!shown(row)) continue;
    for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
      if (partKinds[part] === 0) points.push(part);
      else {
        lines = true;
        tracePart(display, part, frame, path, dots);
      }
    }
  }
  if (lines) strokeAndFill(context, path, dots, frame, paint);
  if (points.length > 0) stampPoints(context, display, points, frame, paint);
}

function strokeAndFill(
  context: OffscreenCanvasRenderingContext2D,
  path: Path2D,
  dots: Path2D,
  frame: Frame,
  paint: Paint,
): void {
  context.save();
  context.globalAlpha = paint.alpha;
  context.lineJoin = 'round';
  context.lineCap = 'round';
  if (paint.fill) {
    context.fillStyle = paint.fill;
    context.fill(path, 'evenodd');
  }
  if (paint.line > 0) {
    context.strokeStyle = paint.colour;
    context.lineWidth = paint.line * frame.ratio;
    context.stroke(path);
    context.lineWidth = Math.max(1.5, paint.line) * frame.ratio;
    context.stroke(dots);
  }
  context.restore();
}

/** Adds the rings of a part to a path, leaving out corners less than half a pixel from the last one drawn. */
function tracePart(display: DisplayGeometry, part: number, frame: Frame, path: Path2D, dots: Path2D): void {
  const { partKinds, partRings, ringVertices, xy } = display;
  for (let ring = partRings[part]; ring < partRings[part + 1]; ring++) {
    const [from, to] = [ringVertices[ring], ringVertices[ring + 1]];
    if (from === to) continue;
    let [minX, minY, maxX, maxY] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let v = from; v < to; v++) {
      const [x, y] = [xy[2 * v], xy[2 * v + 1]];
      if (x < minX) minX = x;
      if (x > maxX) maxX = x;
      if (y < minY) minY = y;
      if (y > maxY) maxY = y;
    }
    const [left, right] = [frame.x + minX * frame.scale, frame.x + maxX * frame.scale];
    const [top, bottom] = [frame.y - maxY * frame.scale, frame.y - minY * frame.scale];
    if (right < -8 || left > frame.width + 8 || bottom < -8 || top > frame.height + 8) continue;
    if (right - left < 1 && bottom - top < 1) {
      dots.moveTo(left, top);
      dots.lineTo(left + 0.01, top);
      continue;
    }
    let [lastX, lastY] = [NaN, NaN];
    for (let v = from; v < to; v++) {
      const x = frame.x + xy[2 * v] * frame.scale;
      const y = frame.y - xy[2 * v + 1] * frame.scale;
      if (v === from) path.moveTo(x, y);
      else if (Math.abs(x - lastX) < 0.5 && Math.abs(y - lastY) < 0.5 && v < to - 1) continue;
      else path.lineTo(x, y);
      [lastX, lastY] = [x, y];
    }
    if (partKinds[part] === 2) path.closePath();
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
