import { failureOf } from '../api/problems.ts';
import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { basename } from 'node:path';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { JobState } from '../api/contract.ts';
import { makingFolder, nameFolder } from '../export/folders.ts';
import type { Log } from '../log.ts';
import { Extract, Source } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import type { WriteTurn } from '../store/write_turn.ts';
import type { JobMessage, JobNews, JobOutcome, JobResult, JobTask, JobThreadData } from './job_tasks.ts';

/** Runs when a job has ended; null when it did not succeed. May complete the result. */
type Settle = (result: JobResult | null) => Promise<JobResult | void>;

interface Job {
  state: JobState;
  stop: Int32Array;
  /** Ends the thread. */
  kill: AbortController;
  /** The thread that works on it, and what it has stored that nobody sees yet. */
  thread: number | null;
  made: number[];
}

/** Finished jobs are remembered this long, in milliseconds, for whoever asks how they ended. */
const REMEMBERED = 3_600_000;
/** A job that does not listen so long, in milliseconds, after it was cancelled loses its thread. */
const LISTENING = 1000;
/** Jobs side by side: those that read or write whole layers, and, beside them, those that are over soon. */
const [LARGE_JOBS, SMALL_JOBS] = [2, 4];
// What is brought up to date is waited for by all: it does not stand behind an import.
const SMALL: readonly JobTask['kind'][] = [
  'look',
  'survey',
  'lookAtService',
  'lookAtComputed',
  'count',
  'near',
  'lookAtJoin',
  'lookAtPlaced',
  'lookAtZoned',
  'refresh',
  'compare',
  'part',
  'accept',
];

const GIGABYTE = 1 << 30;

/** The long work under way and lately finished, each in a thread of its own. */
export class Jobs {
  readonly #pools: { small: Piscina; large: Piscina };
  readonly #jobs = new Map<string, Job>();
  readonly #store: Store;
  readonly #turn: WriteTurn;
  readonly #log: Log;
  readonly #ceiling: number;

  /** @param ceiling bytes that one job may take */
  constructor(worker: string, database: string, store: Store, turn: WriteTurn, ceiling: number, log: Log) {
    [this.#store, this.#turn, this.#log, this.#ceiling] = [store, turn, log, ceiling];
    const pool = (maxThreads: number) =>
      new Piscina({
        filename: worker,
        workerData: { database, turn: turn.shared, ceiling } satisfies JobThreadData,
        minThreads: 0,
        maxThreads,
        // A thread takes seconds to start; it stays through the pauses of ordinary work.
        idleTimeout: 600_000,
        resourceLimits: { maxOldGenerationSizeMb: Math.round(ceiling / (1 << 20)) },
      });
    this.#pools = { small: pool(SMALL_JOBS), large: pool(LARGE_JOBS) };
  }

  /** Starts a job and returns at once. */
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
    const job: Job = { state, stop: new Int32Array(shared), kill: new AbortController(), thread: null, made: [] };
    this.#jobs.set(state.id, job);
    const { port1, port2 } = new MessageChannel();
    port1.on('message', (news: JobNews) => {
      if ('thread' in news) job.thread = news.thread;
      else if ('made' in news) job.made.push(news.made);
      else Object.assign(state, news);
    });
    void this.#run(job, task, { task, port: port2, stop: shared }, settle).finally(() => {
      port1.close();
      setTimeout(() => this.#jobs.delete(state.id), REMEMBERED).unref();
    });
    return state;
  }

  async #run(job: Job, task: JobTask, message: JobMessage, settle?: Settle): Promise<void> {
    const { state } = job;
    let outcome: JobOutcome;
    let final: JobResult | void = undefined;
    try {
      outcome = await this.#outcome(job, task, message);
      final = await settle?.('done' in outcome ? outcome.done : null);
    } catch (error) {
      this.#log.error(`Job ${state.label}`, error);
      outcome = { failed: `The last step failed: ${failureOf(error)}` };
    }
    if ('done' in outcome) Object.assign(state, { state: 'done', share: 1, progress: 'Done', result: final ?? outcome.done });
    else if ('failed' in outcome) Object.assign(state, { state: 'failed', error: outcome.failed });
    else Object.assign(state, { state: 'cancelled', progress: 'Cancelled; nothing was kept' });
  }

  async #outcome(job: Job, task: JobTask, message: JobMessage): Promise<JobOutcome> {
    const pool = SMALL.includes(task.kind) ? this.#pools.small : this.#pools.large;
    try {
      const outcome = (await pool.run(message, { transferList: [message.port], signal: job.kill.signal })) as JobOutcome;
      if ('unexpected' in outcome) this.#log.error(`Job ${job.state.label}`, outcome.unexpected);
      return outcome;
    } catch (error) {
      // The thread is gone in the middle of its work: what it held and left is taken away here.
      await this.#cleanUp(job, task);
      if (job.kill.signal.aborted) return { cancelled: true };
      this.#log.error(`Job ${job.state.label}`, error);
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'ERR_WORKER_OUT_OF_MEMORY')
        return {
          failed: `This takes more than ${(this.#ceiling / GIGABYTE).toFixed(1)} GB of memory, which is as much as one job may have; nothing was kept. Cut the file up, or leave columns out.`,
        };
      return { failed: failureOf(error) };
    }
  }

  async #cleanUp(job: Job, task: JobTask): Promise<void> {
    if (job.thread !== null) this.#turn.giveFor(job.thread);
    // What was put to use just before stays.
    if (job.made.length > 0)
      await entities(this.#store).nativeDelete(Source, { id: { $in: job.made }, role: { $in: ['making', 'candidate'] } });
    if (task.kind !== 'extract') return;
    const isKnown = (await entities(this.#store).count(Extract, { id: basename(task.folder) })) > 0;
    // Only its own: others are being made beside it.
    if (!isKnown) await rm(makingFolder(task.folder), { recursive: true, force: true });
    else await nameFolder(task.folder);
  }

  get(id: string): JobState | null {
    return this.#jobs.get(id)?.state ?? null;
  }

  /** Asks a job to stop; where it does not listen its thread is ended. */
  cancel(id: string): void {
    const job = this.#jobs.get(id);
    if (!job || job.state.state !== 'running') return;
    Atomics.store(job.stop, 0, 1);
    // What has not begun, or does not listen, ends without being asked.
    if (job.thread === null) job.kill.abort();
    else setTimeout(() => job.state.state === 'running' && job.kill.abort(), LISTENING).unref();
  }

  async settled(id: string): Promise<JobState> {
    const job = this.#jobs.get(id)!;
    while (job.state.state === 'running') await new Promise((resolve) => setTimeout(resolve, 20));
    return job.state;
  }

  async close(): Promise<void> {
    await Promise.all([this.#pools.small.destroy(), this.#pools.large.destroy()]);
  }
}
