import { threadId } from 'node:worker_threads';

/** Longer than this nobody writes; whoever waits so long is told instead of waiting for ever, in milliseconds. */
const PATIENCE = 60_000;

/** Refused because something else went on writing. */
export class BusyError extends Error {}

/**
 * The turn to write to the database, of which all threads share one: SQLite takes one writer at a time, and would refuse or
 * stop a thread that comes second. Waiting here stops nothing else. In shared memory: 0, or the thread that writes, from 1.
 */
export class WriteTurn {
  readonly shared: SharedArrayBuffer;
  #holder: Int32Array<SharedArrayBuffer>;
  #mine = threadId + 1;
  /** Ends when all that were before in this thread have had their turn. */
  #queue: Promise<void> = Promise.resolve();
  #next: (() => void) | null = null;

  /** @param shared that of another thread; left out, it is the first of its kind */
  constructor(shared = new SharedArrayBuffer(4)) {
    this.shared = shared;
    this.#holder = new Int32Array(shared);
  }

  /** Waits for the turn, which lasts until `give`. @throws BusyError after a minute, without the turn */
  async take(patience = PATIENCE): Promise<void> {
    const before = this.#queue;
    let done = () => {};
    this.#queue = new Promise((resolve) => (done = resolve));
    await before;
    const until = Date.now() + patience;
    for (;;) {
      const holder = Atomics.compareExchange(this.#holder, 0, 0, this.#mine);
      if (holder === 0) break;
      const left = until - Date.now();
      if (left <= 0) {
        done();
        throw new BusyError('Something else has been writing to the workspace for a minute; nothing was changed. Try again.');
      }
      await Atomics.waitAsync(this.#holder, 0, holder, left).value;
    }
    this.#next = done;
  }

  /** Ends the turn. */
  give(): void {
    const next = this.#next;
    this.#next = null;
    Atomics.store(this.#holder, 0, 0);
    Atomics.notify(this.#holder, 0);
    next?.();
  }

  /** Ends the turn of a thread that is no more. */
  giveFor(thread: number): void {
    if (Atomics.compareExchange(this.#holder, 0, thread + 1, 0) === thread + 1) Atomics.notify(this.#holder, 0);
  }
}
