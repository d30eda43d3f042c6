import { layOutPage, pageSize, type PageContent } from '@clean-sieve/core';

/** Above the foot of a line's letters, in parts of the size of the type: the typeface's own ascender. */
const ASCENDER = 1.024;
const TYPEFACE = "'Source Sans 3 Variable', sans-serif";
const fontOf = (size: number, bold: boolean) => `${bold ? 700 : 400} ${size}px ${TYPEFACE}`;

/**
 * A page as it will be, by the layout that the page itself is made with.
 * @param ratio pixels in a point
 */
export function pagePicture(page: PageContent, map: HTMLCanvasElement, ratio: number): HTMLCanvasElement {
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = pageSize(page).map((side) => Math.round(side * ratio));
  const context = canvas.getContext('2d')!;
  context.scale(ratio, ratio);
  context.fillStyle = '#ffffff';
  context.fillRect(0, 0, canvas.width, canvas.height);
  const along = (corners: readonly (readonly [number, number])[]) => {
    context.beginPath();
    for (const [x, y] of corners) context.lineTo(x, y);
  };
  layOutPage(page, {
    measure: (text, size, bold) => {
      context.font = fontOf(size, bold);
      return context.measureText(text).width;
    },
    line: (text, x, y, { size, bold, colour }) => {
      [context.font, context.fillStyle] = [fontOf(size, bold), colour];
      context.fillText(text, x, y + ASCENDER * size);
    },
    map: (x, y, width, height, frame) => {
      context.drawImage(map, x, y, width, height);
      [context.strokeStyle, context.lineWidth] = [frame, 0.8];
      context.strokeRect(x, y, width, height);
    },
    mark: (path, x, y, scale, colour) => {
      context.save();
      context.translate(x, y);
      context.scale(scale, scale);
      context.fillStyle = colour;
      context.fill(new Path2D(path));
      context.restore();
    },
    fill: (corners, colour) => {
      along(corners);
      context.fillStyle = colour;
      context.fill();
    },
    stroke: (corners, width, colour) => {
      along(corners);
      [context.strokeStyle, context.lineWidth] = [colour, width];
      context.stroke();
    },
  });
  return canvas;
}
