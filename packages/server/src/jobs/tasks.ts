import type { DifferenceRows } from '@clean-sieve/core';
import type { MessagePort } from 'node:worker_threads';
import type { ExtractLayer, ExtractRequest, JobState, LayerChoice, ReadingChoice } from '../api/contract.ts';

/** Long work, done in a thread of its own. */
export type JobTask =
  | { kind: 'look'; folder: string; files: string[]; reading: ReadingChoice }
  | { kind: 'import'; folder: string; layers: LayerChoice[]; role: 'layer' | 'ground' }
  | { kind: 'repair'; sourceId: number }
  | { kind: 'measure'; sourceId: number }
  | { kind: 'version'; sourceId: number; folder: string; layer: LayerChoice; asOf: number }
  | { kind: 'compare'; sourceId: number; versionId: number; key: string; asOf: number }
  | { kind: 'part'; sourceId: number; versionId: number; key: string; part: keyof DifferenceRows }
  | { kind: 'accept'; sourceId: number; versionId: number }
  | { kind: 'extract'; request: ExtractRequest; asOf: number; folder: string; again: string | null }
  | { kind: 'subset'; layer: ExtractLayer; asOf: number };

export interface JobMessage {
  task: JobTask;
  /** Receives JobProgress. */
  port: MessagePort;
  /** One Int32: not 0 once the job is to stop. */
  stop: SharedArrayBuffer;
}

export interface JobProgress {
  share: number;
  progress: string;
}

export type JobResult = NonNullable<JobState['result']>;

/** How a job ended. Said as a value, because an error loses its class on the way between threads. */
export type JobOutcome = { done: JobResult } | { failed: string } | { cancelled: true };
