import type { MapFrame, Pass } from './paint.ts';
import { Painter } from './painter.ts';

/** A thread that draws whole pictures one after another, and keeps the features that it has loaded for the next ones. */
export class PictureQueue {
  #painter: Painter | null = null;
  #waiting: { resolve: (picture: ImageBitmap) => void; reject: (error: Error) => void } | null = null;
  #last: Promise<unknown> = Promise.resolve();

  /** @returns the picture, once those asked for before are done */
  draw(frame: MapFrame, passes: Pass[]): Promise<ImageBitmap> {
    const drawn = this.#last.then(
      () =>
        new Promise<ImageBitmap>((resolve, reject) => {
          this.#waiting = { resolve, reject };
          this.#painter ??= new Painter(
            ({ picture }) => this.#waiting?.resolve(picture),
            (error) => this.#waiting?.reject(error),
          );
          this.#painter.draw(frame, passes, true);
        }),
    );
    this.#last = drawn.catch(() => undefined);
    return drawn;
  }

  close(): void {
    this.#painter?.close();
    this.#painter = null;
  }
}
