import { randomUUID } from 'node:crypto';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { JobState } from '../api/contract.ts';
import type { JobMessage, JobOutcome, JobProgress, JobResult, JobTask } from './tasks.ts';

/** Runs when a job has ended; null when it did not succeed. May complete the result. */
type Settle = (result: JobResult | null) => Promise<JobResult | void>;

interface Job {
  state: JobState;
  stop: Int32Array;
}

/** Finished jobs are remembered this long, in milliseconds, for whoever asks how they ended. */
const REMEMBERED = 3_600_000;

/** The long work under way and lately finished. */
export class Jobs {
  #pool: Piscina;
  #jobs = new Map<string, Job>();

  constructor(worker: string, database: string) {
    this.#pool = new Piscina({
      filename: worker,
      workerData: { database },
      minThreads: 0,
      maxThreads: 1,
      // A thread takes seconds to start; it stays through the pauses of ordinary work.
      idleTimeout: 600_000,
    });
  }

  /**
   * Starts a job and returns at once.
   */
  start(label: string, task: JobTask, settle?: Settle): JobState {
    const shared = new SharedArrayBuffer(4);
    const state: JobState = {
      id: randomUUID(),
      label,
      state: 'running',
      share: 0,
      progress: 'Waiting to start',
      error: null,
      result: null,
    };
    this.#jobs.set(state.id, { state, stop: new Int32Array(shared) });
    const { port1, port2 } = new MessageChannel();
    port1.on('message', ({ share, progress }: JobProgress) => Object.assign(state, { share, progress }));
    void this.#run(state, { task, port: port2, stop: shared }, settle).finally(() => {
      port1.close();
      setTimeout(() => this.#jobs.delete(state.id), REMEMBERED).unref();
    });
    return state;
  }

  async #run(state: JobState, message: JobMessage, settle?: Settle): Promise<void> {
    const outcome = await this.#outcome(message);
    const final = await settle?.('done' in outcome ? outcome.done : null);
    if ('done' in outcome)
      Object.assign(state, { state: 'done', share: 1, progress: 'Done', result: final ?? outcome.done });
    else if ('failed' in outcome) Object.assign(state, { state: 'failed', error: outcome.failed });
    else Object.assign(state, { state: 'cancelled', progress: 'Cancelled; nothing was kept' });
  }

  async #outcome(message: JobMessage): Promise<JobOutcome> {
    try {
      return (await this.#pool.run(message, { transferList: [message.port] })) as JobOutcome;
    } catch (error) {
      return { failed: (error as Error).message };
    }
  }

  get(id: string): JobState | null {
    return this.#jobs.get(id)?.state ?? null;
  }

  /** Asks a job to stop; it ends as cancelled at its next step. */
  cancel(id: string): void {
    const job = this.#jobs.get(id);
    if (job) Atomics.store(job.stop, 0, 1);
  }

  async settled(id: string): Promise<JobState> {
    const job = this.#jobs.get(id)!;
    while (job.state.state === 'running') await new Promise((resolve) => setTimeout(resolve, 20));
    return job.state;
  }

  async close(): Promise<void> {
    await this.#pool.destroy();
  }
}
