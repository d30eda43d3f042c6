import Layer from 'ol/layer/Layer.js';
import type { FrameState } from 'ol/Map.js';
import { Painter, type Picture } from './drawing/painter.ts';
import { planeOf } from './planes.ts';
import { sizesKey, type MapFrame, type Pass } from './drawing/paint.ts';

/**
 * The features of all sources. They are drawn by a thread of its own; until its next picture is there the last one is shown
 * where it belongs now.
 */
export class FeatureLayer extends Layer {
  readonly #canvas = document.createElement('canvas');
  readonly #painter: Painter | null;
  #passes: Pass[] | null = null;
  #passesKey = '';
  #picture: Picture | null = null;
  /** The frame that the thread was asked for last. */
  #frame: MapFrame | null = null;

  readonly #shown: (picture: Picture) => void;

  /**
   * @param still a picture that stays; null: the thread is asked
   * @param shown called when a picture of what was asked for last is there
   */
  constructor(still: Picture | null, complain: (error: Error, ofAll: string | null) => void, shown: (picture: Picture) => void = () => {}) {
    super({ zIndex: 1 });
    this.#canvas.style.position = 'absolute';
    this.#picture = still;
    this.#shown = shown;
    this.#painter = still ? null : new Painter((picture) => this.#show(picture), complain);
  }

  #show(picture: Picture): void {
    this.#picture?.picture.close();
    this.#picture = picture;
    // How often something new has come to be seen, for those who measure it.
    this.#canvas.dataset.pictures = String(Number(this.#canvas.dataset.pictures ?? 0) + 1);
    this.changed();
    this.#shown(picture);
  }

  /** What is drawn already is not drawn again. */
  setPasses(passes: Pass[]): void {
    const key = JSON.stringify(
      passes.map(({ mask: _, ofClass, sizes, ...pass }) => [pass, ofClass && [ofClass.id, ofClass.wanted, ofClass.drawn], sizesKey(sizes)]),
    );
    if (key === this.#passesKey) return;
    this.#passesKey = key;
    this.#passes = passes;
    // The map's next turn to be drawn comes after everything else that follows a change.
    if (this.#frame) this.#ask(this.#frame);
    else this.changed();
  }

  override getSourceState(): 'ready' {
    return 'ready';
  }

  override render(state: FrameState | null): HTMLElement {
    if (!state) return this.#canvas;
    const frame = frameOf(state);
    const canvas = this.#canvas;
    if (canvas.width !== frame.width || canvas.height !== frame.height) {
      [canvas.width, canvas.height] = [frame.width, frame.height];
      [canvas.style.width, canvas.style.height] = state.size.map((side) => `${side}px`);
    }
    this.#ask(frame);
    const context = canvas.getContext('2d')!;
    context.clearRect(0, 0, canvas.width, canvas.height);
    const shown = this.#picture;
    if (shown && shown.frame.plane === frame.plane) {
      const factor = (shown.frame.resolution * frame.ratio) / (frame.resolution * shown.frame.ratio);
      const [dx, dy] = [0, 1].map((axis) => ((shown.frame.center[axis] - frame.center[axis]) / frame.resolution) * frame.ratio);
      const [width, height] = [shown.frame.width * factor, shown.frame.height * factor];
      context.drawImage(shown.picture, frame.width / 2 + dx - width / 2, frame.height / 2 - dy - height / 2, width, height);
    }
    canvas.dataset.features = this.#picture?.complete ? 'drawn' : 'drawing';
    return canvas;
  }

  #ask(frame: MapFrame): void {
    if (!this.#painter || (!this.#passes && this.#frame && keyOf(this.#frame) === keyOf(frame))) return;
    this.#frame = frame;
    if (this.#picture) this.#picture = { ...this.#picture, complete: false };
    this.#canvas.dataset.features = 'drawing';
    this.#painter.draw(frame, this.#passes);
    this.#passes = null;
  }

  override disposeInternal(): void {
    this.#painter?.close();
    super.disposeInternal();
  }
}

const keyOf = (frame: MapFrame) => JSON.stringify(frame);

function frameOf({ pixelRatio: ratio, size, viewState: { center, resolution, projection } }: FrameState): MapFrame {
  const [width, height] = size.map((side) => Math.max(1, Math.round(side * ratio)));
  return { plane: planeOf(projection), center: [center[0], center[1]], resolution, width, height, ratio };
}
