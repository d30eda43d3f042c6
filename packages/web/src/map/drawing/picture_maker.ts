import { ClassPixels } from './class_pixels.ts';
import type { DrawAnswer, DrawMessage } from './messages.ts';
import { CROWD, paintPass, type PlacedTile } from './feature_painter.ts';
import { PointCrowd } from './point_crowd.ts';
import { sizesKey, type MapFrame, type Pass } from './paint.ts';
import { TileStore, type FetchTile, type TileOf } from './tile_store.ts';
import { tilesInView, type TileInView } from './tiles_in_view.ts';

/** Milliseconds after which others get a turn, and after which what there is of a picture is shown. */
const TURN = 12;
const PART_AFTER = 400;
/** A picture that takes longer is given up for a newer one; those that follow a dragged handle are seen each. */
const LONG = 250;
/** Drawn passes of more pixels than this, of four bytes each, are not kept: a large page of many classes. */
const MOST_KEPT = 60_000_000;

/** A pass as it was drawn, and how many points lie on one spot of it where its colours tell that. */
interface Layer {
  canvas: OffscreenCanvas;
  deepest: number;
}

/** Makes pictures of features, one at a time, and gives up one that takes long and is no longer wanted. */
export class PictureMaker {
  readonly #store: TileStore;
  readonly #answer: (answer: DrawAnswer) => void;
  readonly #canvas = new OffscreenCanvas(1, 1);
  /** Passes as they were drawn last, by all that they depend on. */
  #layers = new Map<string, Layer>();
  /** Crowds of points as they were counted last, by what they are of. */
  #crowds = new Map<string, PointCrowd>();
  #scratch: OffscreenCanvas | null = null;
  #wanted: DrawMessage | null = null;
  #passes: Pass[] = [];
  /** Goes up when there is something new to draw. */
  #round = 0;
  #drawn = 0;
  #busy = false;

  constructor(fetch: FetchTile, answer: (answer: DrawAnswer) => void) {
    this.#answer = answer;
    const complain = (error: unknown, ofAll: string | null) =>
      answer({ kind: 'problem', message: error instanceof Error ? error.message : String(error), ofAll });
    this.#store = new TileStore(fetch, () => this.#again(), complain);
  }

  draw(message: DrawMessage): void {
    this.#wanted = message;
    if (message.passes) this.#passes = message.passes;
    const tiles = tilesInView(message.frame);
    this.#store.want(
      sourcesOf(this.#passes).flatMap((pass) => tiles.map((at) => ({ ...pass, plane: message.frame.plane, z: at.z, x: at.x, y: at.y }))),
    );
    this.#again();
  }

  #again(): void {
    this.#round++;
    void this.#work();
  }

  async #work(): Promise<void> {
    if (this.#busy) return;
    this.#busy = true;
    while (this.#wanted && this.#drawn !== this.#round) {
      const round = this.#round;
      await this.#picture(this.#wanted, round);
      // Given up for a newer one, or done.
      if (this.#round === round) this.#drawn = round;
    }
    this.#busy = false;
  }

  async #picture(message: DrawMessage, round: number): Promise<void> {
    const { frame, number, whole } = message;
    const tiles = tilesInView(frame);
    const passes = this.#passes;
    const there = passes.map((pass) => placed(this.#store, pass, frame, tiles));
    const missing = there.some((some) => some.length < tiles.length);
    if (missing && whole) return;
    if (missing) {
      // What is on its way may be here in a moment.
      await pause(60);
      if (this.#round !== round) return;
    }
    const layers = new Map<string, Layer>();
    const keeps = frame.width * frame.height * passes.length <= MOST_KEPT;
    let deepest = 0;
    /** What passes of one classing share. */
    const classes = new Map<string, ClassPixels>();
    const crowds = new Map<string, PointCrowd>();
    const canvas = this.#canvas;
    [canvas.width, canvas.height] = [frame.width, frame.height];
    const context = canvas.getContext('2d')!;
    const part = async (complete: boolean) =>
      this.#answer({
        kind: 'picture',
        number,
        frame,
        picture: complete ? canvas.transferToImageBitmap() : await createImageBitmap(canvas),
        complete,
        deepest,
      });
    const began = performance.now();
    let [turn, shownAt] = [began, began];
    /** Lets others have their turn now and then. @returns whether the picture is given up */
    const others = async (): Promise<boolean> => {
      if (performance.now() - turn < TURN) return false;
      await nextTurn();
      turn = performance.now();
      // One to which a tile has come goes on; with it there will be another.
      if (this.#wanted !== message && turn - began > LONG) return true;
      if (!whole && turn - shownAt >= PART_AFTER) {
        await part(false);
        shownAt = turn;
      }
      return false;
    };
    for (const [i, pass] of passes.entries()) {
      const key = layerKey(frame, pass, there[i]);
      let layer = this.#layers.get(key);
      if (!layer) {
        layer = { canvas: this.#blank(frame, keeps), deepest: 0 };
        const own = layer.canvas.getContext('2d', { willReadFrequently: true })!;
        const shared = { classes: sharedBy(classes, frame, pass), crowd: this.#crowdOf(crowds, frame, pass, there[i]) };
        const steps = paintPass(own, frame, there[i], pass, shared);
        let step = steps.next();
        for (; !step.done; step = steps.next()) if (await others()) return;
        layer.deepest = step.value;
      }
      context.drawImage(layer.canvas, 0, 0);
      // What is drawn last is what is looked at.
      if (layer.deepest > 0) deepest = layer.deepest;
      if (keeps) layers.set(key, layer);
      if (i < passes.length - 1 && (await others())) return;
    }
    this.#layers = layers;
    if (crowds.size > 0) this.#crowds = crowds;
    await part(!missing);
  }

  /** The points of a pass where they are very many and their colours tell how many; kept while the map stays where it is. */
  #crowdOf(
    used: Map<string, PointCrowd>,
    frame: MapFrame,
    { sourceId, state, paint, ofClass, sizes, ofAll }: Pass,
    tiles: readonly PlacedTile[],
  ): PointCrowd | null {
    const points = tiles.reduce((sum, { tile }) => sum + tile.pointRows.length, 0);
    if (points <= CROWD || !paint.deep || ofClass || sizes) return null;
    const key = JSON.stringify([frame, sourceId, state, ofAll, tiles.map(({ at: { x, y } }) => [x, y])]);
    const crowd = used.get(key) ?? this.#crowds.get(key) ?? new PointCrowd(frame.width, frame.height, tiles);
    used.set(key, crowd);
    return crowd;
  }

  /** Something to draw a pass on: of its own where that is kept, else the same for all. */
  #blank({ width, height }: MapFrame, keeps: boolean): OffscreenCanvas {
    if (keeps) return new OffscreenCanvas(width, height);
    this.#scratch ??= new OffscreenCanvas(1, 1);
    [this.#scratch.width, this.#scratch.height] = [width, height];
    return this.#scratch;
  }
}

function sharedBy(
  classes: Map<string, ClassPixels>,
  { width, height }: MapFrame,
  { sourceId, state, maskId, ofClass, ofAll }: Pass,
): ClassPixels | null {
  if (!ofClass) return null;
  const key = JSON.stringify([sourceId, state, ofAll, maskId, ofClass.id, ofClass.drawn]);
  let shared = classes.get(key);
  if (!shared) classes.set(key, (shared = new ClassPixels(width, height, ofClass)));
  return shared;
}

/** What tells a drawn pass from any other. */
function layerKey(frame: MapFrame, { sourceId, state, paint, maskId, ofClass, sizes, ofAll }: Pass, tiles: readonly PlacedTile[]): string {
  const some = ofClass && [ofClass.id, ofClass.wanted, ofClass.drawn];
  const sized = sizesKey(sizes);
  return JSON.stringify([frame, sourceId, state, ofAll, paint, maskId, some, sized, tiles.map(({ at: { x, y } }) => [x, y])]);
}

/** Each once of which there are passes. */
function sourcesOf(passes: readonly Pass[]): TileOf[] {
  return [...new Map(passes.map(({ sourceId, state, ofAll }) => [`${sourceId} ${ofAll}`, { sourceId, state, ofAll }])).values()];
}

function placed(store: TileStore, { sourceId, state, ofAll }: Pass, { plane }: MapFrame, tiles: readonly TileInView[]): PlacedTile[] {
  return tiles.flatMap((at) => {
    const tile = store.get({ sourceId, state, ofAll, plane, z: at.z, x: at.x, y: at.y });
    return tile ? [{ at, tile }] : [];
  });
}

const pause = (millis: number) => new Promise((done) => setTimeout(done, millis));

/** Lets what has arrived meanwhile be heard. Timers would wait for four milliseconds when they follow one another. */
function nextTurn(): Promise<void> {
  return new Promise((done) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      port1.close();
      done();
    };
    port2.postMessage(null);
  });
}
