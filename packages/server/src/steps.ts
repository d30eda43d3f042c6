import { isMainThread } from 'node:worker_threads';

/**
 * Names of steps at which a stop would show whether what stands on the disk is whole. The fault harness starts the program
 * with CLEAN_SIEVE_KILL_AT set to a step and a number, as in "commit done:3", and it ends there as if the power went.
 */
export type Step =
  | 'commit'
  | 'commit done'
  | 'layer read'
  | 'layers stored'
  | 'layers put to use'
  | 'answer held'
  | 'extract written'
  | 'extract named'
  | 'extract noted'
  | 'extract forgotten'
  | 'versions exchanged'
  | 'answer'
  | StartStep;

/** Steps of a start. */
export const START_STEPS = [
  'start: folder locked',
  'start: workspace opened',
  'start: leftovers removed',
  'start: workspace filled',
] as const;
type StartStep = (typeof START_STEPS)[number];

const [, wanted, number] = /^(.+):(\d+)$/.exec(process.env.CLEAN_SIEVE_KILL_AT ?? '') ?? [];
let passed = 0;
/** A start has steps of its own; of the others the main thread counts from the end of it. */
let counts = !isMainThread;

/** Says that the program has started. */
export function started(): void {
  counts = true;
}

/** Says that a step is reached. */
export function step(name: Step): void {
  if ((counts || name.startsWith('start: ')) && name === wanted && ++passed === Number(number)) process.kill(process.pid, 'SIGKILL');
}
