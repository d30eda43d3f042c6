import { Piscina } from 'piscina';
import type { SiftTask } from './tasks.ts';

/** A question that cannot be answered as it is put. */
export class RefusedError extends Error {}

/** Puts questions to the sifting thread. One thread, so that opened sources and remembered masks are shared by all. */
export class SiftService {
  #pool: Piscina;

  constructor(worker: string, database: string) {
    this.#pool = new Piscina({
      filename: worker,
      workerData: { database },
      minThreads: 1,
      maxThreads: 1,
      idleTimeout: Infinity,
    });
  }

  /** @param T the answer that goes with the kind of task */
  async ask<T>(task: SiftTask): Promise<T> {
    const outcome = (await this.#pool.run(task)) as { answer: T } | { refused: string };
    if ('refused' in outcome) throw new RefusedError(outcome.refused);
    return outcome.answer;
  }

  async close(): Promise<void> {
    await this.#pool.destroy();
  }
}
