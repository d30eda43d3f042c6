import type { JobState } from '@clean-sieve/server/api';
import { api } from './client.ts';

/** Milliseconds between two looks at a job. */
const POLL = 120;

/**
 * What a job gives that is only looked at, beside those that are listed; given up, the job ends too.
 * @param told how far it is, in words
 * @throws what it failed by
 */
export async function resultOf(
  started: JobState,
  signal: AbortSignal,
  told: (progress: string) => void,
): Promise<NonNullable<JobState['result']>> {
  let job = started;
  for (;;) {
    if (signal.aborted) await api.cancelJob(job.id);
    signal.throwIfAborted();
    if (job.state === 'done' && job.result) return job.result;
    if (job.state !== 'running') throw new Error(job.error ?? 'It was cancelled');
    told(job.progress);
    await new Promise((resolve) => setTimeout(resolve, POLL));
    job = await api.job(job.id);
  }
}
