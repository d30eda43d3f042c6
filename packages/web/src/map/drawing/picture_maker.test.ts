import { displayTile, packTile, TableBuilder } from '@clean-sieve/core';
import type { DrawAnswer, DrawMessage } from './messages.ts';
import type { MapFrame, Pass } from './paint.ts';
import { PictureMaker } from './picture_maker.ts';

// Canvases on which nothing is seen, counted as they are made.
let canvases = 0;
let slow = 0;
class Context {
  getImageData = (_x: number, _y: number, w: number, h: number) => ({
    data: new Uint8ClampedArray(4 * w * h).fill(200),
  });
  createImageData = (w: number, h: number) => ({ data: new Uint8ClampedArray(4 * w * h) });
  drawImage(): void {
    // As if there were much to draw.
    const end = performance.now() + slow;
    while (performance.now() < end);
  }
  putImageData(): void {}
  translate(): void {}
  scale(): void {}
  fill(): void {}
  fillRect(): void {}
}
beforeAll(() => {
  class Canvas {
    context = new Context();
    getContext = () => this.context;
    transferToImageBitmap = () => ({ close: () => undefined });
    constructor(width: number) {
      if (width === FRAME.width) canvases++;
    }
  }
  Object.assign(globalThis, {
    OffscreenCanvas: Canvas,
    Path2D: class {},
    createImageBitmap: () => Promise.resolve({ close: () => undefined }),
  });
});
beforeEach(() => ([canvases, slow] = [0, 0]));

const builder = new TableBuilder();
for (let n = 0; n < 97; n++) builder.addFeature({ type: 'Point', coordinates: [n - 48, 0] }, null);
const table = builder.finish();
const FRAME: MapFrame = { plane: 'mercator', center: [0, 0], resolution: 40_000, width: 640, height: 400, ratio: 1 };
const pass = (sourceId: number, maskId = 0): Pass => ({
  sourceId,
  state: 'original',
  maskId,
  ofClass: null,
  sizes: null,
  ofAll: null,
  mask: maskId === 0 ? null : new Uint32Array(4).fill(maskId),
  paint: { colour: '#333333', shape: 'disc', radius: 2, line: 1, fill: null, rim: null, outline: null, alpha: 1, deep: null },
});

function making() {
  const answers: DrawAnswer[] = [];
  const held: (() => void)[] = [];
  let open = false;
  const maker = new PictureMaker(
    ({ plane, z, x, y }) =>
      new Promise((resolve) => {
        const come = () => resolve(packTile(displayTile(table, z, x, y, plane)));
        if (open) come();
        else held.push(come);
      }),
    (answer) => answers.push(answer),
  );
  let number = 0;
  const draw = (more: Partial<DrawMessage>) => maker.draw({ number: ++number, frame: FRAME, passes: null, whole: false, ...more });
  /** From now on tiles come at once. */
  const arrive = () => {
    open = true;
    for (const one of held.splice(0)) one();
  };
  const pictures = () => answers.flatMap((one) => (one.kind === 'picture' ? [[one.number, one.complete] as const] : []));
  return { draw, arrive, pictures };
}
const settled = (millis = 150) => new Promise((done) => setTimeout(done, millis));
/** Waits until something is so, as long as it may take on a busy machine. */
async function until(holds: () => boolean): Promise<void> {
  for (const end = Date.now() + 10_000; !holds() && Date.now() < end;) await settled(5);
  expect(holds()).toBe(true);
}

test('what is there is shown, and what is whole once its tiles have come', async () => {
  const { draw, arrive, pictures } = making();
  draw({ passes: [pass(1)] });
  await until(() => pictures().length > 0);
  expect(pictures()).toEqual([[1, false]]);
  arrive();
  await until(() => pictures().at(-1)?.[1] === true);
});

test('a picture that must be whole waits for its tiles', async () => {
  const { draw, arrive, pictures } = making();
  draw({ passes: [pass(1)], whole: true });
  await settled();
  expect(pictures()).toEqual([]);
  arrive();
  await until(() => pictures().length > 0);
  expect(pictures()).toEqual([[1, true]]);
});

test('another mask draws the one pass that has it, another frame draws all', async () => {
  const { draw, arrive, pictures } = making();
  draw({ passes: [pass(1), pass(2), pass(2, 1)] });
  arrive();
  await until(() => pictures().at(-1)?.[1] === true);
  const first = canvases;
  draw({ passes: [pass(1), pass(2), pass(2, 2)] });
  await until(() => String(pictures().at(-1)) === '2,true');
  // A layer and the sheet that its points are printed on.
  expect(canvases - first).toBe(2);
  draw({ frame: { ...FRAME, center: [1, 1] } });
  await until(() => String(pictures().at(-1)) === '3,true');
  expect(canvases - first).toBe(2 + 6);
});

test('pictures that follow one another fast are seen each, one that takes long is given up for the newest', async () => {
  const { draw, arrive, pictures } = making();
  draw({ passes: [pass(1)] });
  arrive();
  await until(() => String(pictures().at(-1)) === '1,true');
  // Some 20 ms: the second is asked for meanwhile.
  slow = 10;
  draw({ passes: [pass(1, 1)] });
  await settled(5);
  draw({ passes: [pass(1, 2)] });
  await until(() => String(pictures().at(-1)) === '3,true');
  expect(pictures()).toContainEqual([2, true]);
  // Ten passes of 200 ms each.
  slow = 100;
  draw({ passes: Array.from({ length: 10 }, (_, n) => pass(1, 10 + n)) });
  await settled(5);
  draw({ passes: [pass(1, 99)] });
  await until(() => String(pictures().at(-1)) === '5,true');
  expect(pictures()).not.toContainEqual([4, true]);
});

test('a tile that cannot be had is told', async () => {
  const answers: DrawAnswer[] = [];
  const maker = new PictureMaker(
    () => Promise.reject(new Error('no answer')),
    (answer) => answers.push(answer),
  );
  maker.draw({ number: 1, frame: FRAME, passes: [pass(1)], whole: false });
  await until(() => answers.length > 0);
  expect(answers).toContainEqual({ kind: 'problem', message: 'no answer', ofAll: null });
});
