import type { DrawAnswer, DrawMessage } from './messages.ts';
import type { MapFrame, Pass } from './paint.ts';

/** What the features look like in a frame. */
export interface Picture {
  frame: MapFrame;
  picture: ImageBitmap;
  /** All that there is to see is in it. */
  complete: boolean;
  /** How many points lie on one spot at most, where colours tell that; 0 elsewhere. */
  deepest: number;
}

/** The thread that draws, as the interface sees it. */
export class Painter {
  readonly #worker = new Worker(new URL('./picture_worker.ts', import.meta.url), { type: 'module' });
  #number = 0;

  /**
   * @param show called with each picture; it is complete where it is all of what was asked for last
   * @param complain told what went wrong, and with a tile of what (`Pass.ofAll`)
   */
  constructor(show: (picture: Picture) => void, complain: (error: Error, ofAll: string | null) => void) {
    this.#worker.addEventListener('message', ({ data }: MessageEvent<DrawAnswer>) => {
      if (data.kind === 'problem') complain(new Error(data.message), data.ofAll);
      else show({ ...data, complete: data.complete && data.number === this.#number });
    });
    this.#worker.addEventListener('error', (event) => complain(new Error(`The map cannot be drawn: ${event.message}`), null));
  }

  /** @param passes null: the same as before */
  draw(frame: MapFrame, passes: Pass[] | null, whole = false): void {
    this.#worker.postMessage({ number: ++this.#number, frame, passes, whole } satisfies DrawMessage);
  }

  close(): void {
    this.#worker.terminate();
  }
}

/** One picture, with everything in it. */
export function wholePicture(frame: MapFrame, passes: Pass[]): Promise<ImageBitmap> {
  return new Promise((resolve, reject) => {
    const painter = new Painter(
      ({ picture }) => {
        painter.close();
        resolve(picture);
      },
      (error) => {
        painter.close();
        reject(error);
      },
    );
    painter.draw(frame, passes, true);
  });
}
