import type { DifferenceRows } from '@clean-sieve/core';
import type { MessagePort } from 'node:worker_threads';
import type { ThreadData } from '../store/store.ts';
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

/** What a thread for jobs is opened with. */
export interface JobThreadData extends ThreadData {
  /** Bytes that a job may take; beyond, it is refused. */
  ceiling: number;
}

export interface JobMessage {
  task: JobTask;
  /** Receives JobNews. */
  port: MessagePort;
  /** One Int32: not 0 once the job is to stop. */
  stop: SharedArrayBuffer;
}

export interface JobProgress {
  share: number;
  progress: string;
}

/** What a job tells on its way: how far it is, which thread works on it, what it has stored that nobody sees yet. */
export type JobNews = JobProgress | { thread: number } | { made: number };

export type JobResult = NonNullable<JobState['result']>;

/** How a job ended. Said as a value, because an error loses its class on the way between threads. */
export type JobOutcome = { done: JobResult } | { failed: string; unexpected?: string } | { cancelled: true };
