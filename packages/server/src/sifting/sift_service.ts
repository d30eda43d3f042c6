import { Piscina } from 'piscina';
import type { SiftThreadData } from './sift_thread_data.ts';
import type { WriteTurn } from '../store/write_turn.ts';
import { NO_SOURCE, type About, type SiftAnswer, type SiftKind, type SiftOutcome, type SiftQuestion } from './sift_tasks.ts';

/** A question that cannot be answered as it is put. */
export class RefusedError extends Error {}
/** A question that nobody waits for any more. */
export class UnwantedError extends Error {}
/** Refused because the answer takes too long, or too many wait already. */
export class TooMuchError extends Error {}

export interface AskOptions {
  /** Aborted when nobody waits for the answer any more. */
  signal?: AbortSignal;
}

/** What may be asked of a thread that strangers ask. */
export interface Limits {
  /** Milliseconds that one answer may take. */
  time: number;
  /** Questions that may wait. */
  waiting: number;
}

interface Question {
  /** As the thread gets it. */
  task: { kind: SiftKind; about: About; question: unknown };
  urgency: number;
  signal: AbortSignal | undefined;
  settle: (outcome: Promise<unknown>) => void;
}

/** What is said of changes comes before all questions; counts and masks come before what is drawn beside them. */
const URGENCY: Partial<Record<SiftKind, number>> = {
  forget: 0,
  areas: 0,
  check: 1,
  sift: 1,
  counts: 2,
  rows: 2,
  keys: 2,
  explain: 2,
  feature: 2,
  there: 2,
  boxes: 2,
  displayTile: 3,
  classes: 3,
  curve: 5,
};
const ORDINARY = 4;
/** A feed's question that nobody waits for any more and that goes on so long, in milliseconds, loses its thread. */
const UNWANTED = 1000;

/**
 * Puts questions to a sifting thread, one at a time, the most urgent first. One thread, so that opened sources and remembered
 * masks are shared by all.
 */
export class SiftService {
  readonly #pool: Piscina;
  readonly #limits: Limits | null;
  readonly #waiting: Question[] = [];
  /** The number of the question that the thread is to end. */
  readonly #unwanted = new Int32Array(new SharedArrayBuffer(4));
  #asked = 0;
  #busy = false;

  /** @param starts whether its thread is there before the first question */
  constructor(worker: string, database: string, turn: WriteTurn, limits: Limits | null = null, starts = true) {
    this.#limits = limits;
    this.#pool = new Piscina({
      filename: worker,
      workerData: { database, turn: turn.shared, unwanted: this.#unwanted } satisfies SiftThreadData,
      minThreads: starts ? 1 : 0,
      maxThreads: 1,
      idleTimeout: Infinity,
    });
  }

  /** @throws RefusedError, UnwantedError, TooMuchError */
  async ask<K extends SiftKind>(kind: K, about: About, asked: SiftQuestion<K>, { signal }: AskOptions = {}): Promise<SiftAnswer<K>> {
    if (signal?.aborted) throw new UnwantedError('Nobody waits for the answer');
    if (this.#limits && this.#waiting.length >= this.#limits.waiting)
      throw new TooMuchError('Too many questions are waiting; try again in a minute');
    const answer = await new Promise<unknown>((resolve) => {
      const task = { kind, about, question: asked };
      const question: Question = { task, signal, settle: resolve, urgency: URGENCY[kind] ?? ORDINARY };
      this.#waiting.push(question);
      signal?.addEventListener('abort', () => this.#giveUp(question), { once: true });
      void this.#next();
    });
    return answer as SiftAnswer<K>;
  }

  /** Says that a source, or the areas, are no longer as they were; a thread that was not asked yet knows nothing of them. */
  async tell(news: 'forget' | 'areas', sourceId: number): Promise<void> {
    if (this.#asked > 0) await this.ask(news, { ...NO_SOURCE, sourceId }, null);
  }

  /** Of what has not begun nothing is done. */
  #giveUp(question: Question): void {
    const at = this.#waiting.indexOf(question);
    if (at < 0) return;
    this.#waiting.splice(at, 1);
    question.settle(Promise.reject(new UnwantedError('Nobody waits for the answer')));
  }

  async #next(): Promise<void> {
    if (this.#busy || this.#waiting.length === 0) return;
    this.#busy = true;
    const most = Math.min(...this.#waiting.map(({ urgency }) => urgency));
    const [question] = this.#waiting.splice(
      this.#waiting.findIndex(({ urgency }) => urgency === most),
      1,
    );
    const outcome = this.#answer(question);
    question.settle(outcome);
    await outcome.catch(() => undefined);
    this.#busy = false;
    void this.#next();
  }

  async #answer({ task, signal }: Question): Promise<unknown> {
    const kill = new AbortController();
    const limit = this.#limits ? setTimeout(() => kill.abort(), this.#limits.time) : undefined;
    let left: NodeJS.Timeout | undefined;
    const number = ++this.#asked;
    // The thread ends it at its next checkpoint; a stranger's that does not come to one loses its thread.
    const leave = () => {
      Atomics.store(this.#unwanted, 0, number);
      if (this.#limits) left = setTimeout(() => kill.abort(), UNWANTED);
    };
    signal?.addEventListener('abort', leave, { once: true });
    try {
      const outcome = (await this.#pool.run(
        { number, task },
        {
          signal: kill.signal,
        },
      )) as SiftOutcome;
      if ('unwanted' in outcome) throw new UnwantedError('Nobody waits for the answer');
      if ('refused' in outcome) throw new RefusedError(outcome.refused);
      return outcome.answer;
    } catch (error) {
      if (!kill.signal.aborted) throw error;
      if (signal?.aborted) throw new UnwantedError('Nobody waits for the answer');
      throw new TooMuchError(`The answer takes longer than ${this.#limits!.time / 1000} seconds; ask for less at a time`);
    } finally {
      clearTimeout(limit);
      clearTimeout(left);
      signal?.removeEventListener('abort', leave);
    }
  }

  async close(): Promise<void> {
    await this.#pool.destroy();
  }
}
