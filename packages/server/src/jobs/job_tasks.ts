import type { Alike, DifferenceRows, Expr, Group, NamedDerivation, TypedDerivation } from '@clean-sieve/core';
import type { MessagePort } from 'node:worker_threads';
import type { ServiceKey } from '../ogc_api/service_client.ts';
import type { PartTask } from '../postgis/hold_part.ts';
import type { ThreadData } from '../store/store.ts';
import type {
  AskRequest,
  ExtractRequest,
  FetchRequest,
  JobState,
  JoinLookRequest,
  JoinRequest,
  LayerChoice,
  MadeSourceRequest,
  PlacedLookRequest,
  PlacedRequest,
  ReadingChoice,
  ServiceLookRequest,
  SpreadLookRequest,
  ZonedLookRequest,
  ZonedRequest,
} from '../api/contract.ts';

/** Long work, done in a thread of its own. */
export type JobTask =
  | { kind: 'look'; folder: string; files: string[]; reading: ReadingChoice }
  | { kind: 'import'; folder: string; layers: LayerChoice[]; role: 'layer' | 'ground' }
  | { kind: 'survey'; address: string; key: ServiceKey | null }
  | { kind: 'lookAtService'; query: ServiceLookRequest; key: ServiceKey | null; folder: string }
  | { kind: 'fetch'; request: FetchRequest; key: ServiceKey | null; folder: string; asOf: number }
  | { kind: 'fetchAgain'; sourceId: number; key: ServiceKey | null; folder: string; asOf: number }
  | { kind: 'ask'; sourceId: number; otherwise: AskRequest; key: ServiceKey | null; folder: string; asOf: number }
  | ({ kind: 'near' } & PartTask)
  | { kind: 'count'; sourceId: number; tree: Group; asOf: number }
  | { kind: 'repair'; sourceId: number; asOf: number }
  | { kind: 'measure'; sourceId: number }
  | { kind: 'version'; sourceId: number; folder: string; layer: LayerChoice; asOf: number }
  | { kind: 'compare'; sourceId: number; versionId: number; key: string; asOf: number }
  | { kind: 'part'; sourceId: number; versionId: number; key: string; part: keyof DifferenceRows; asOf: number }
  | { kind: 'accept'; sourceId: number; versionId: number; asOf: number }
  | { kind: 'compute'; sourceId: number; columns: NamedDerivation[]; asOf: number }
  | { kind: 'lookAtComputed'; sourceId: number; expr: Expr; asOf: number }
  | { kind: 'lookAtTyped'; sourceId: number; derivation: TypedDerivation }
  | { kind: 'lookAtAlike'; sourceId: number; alike: Alike }
  | { kind: 'lookAtJoin'; sourceId: number; join: JoinLookRequest }
  | { kind: 'join'; sourceId: number; join: JoinRequest; asOf: number }
  | { kind: 'lookAtPlaced'; sourceId: number; placed: PlacedLookRequest }
  | { kind: 'placed'; sourceId: number; placed: PlacedRequest; asOf: number }
  | { kind: 'lookAtZoned'; sourceId: number; zoned: ZonedLookRequest; asOf: number }
  | { kind: 'lookAtSpread'; spread: SpreadLookRequest; asOf: number }
  | { kind: 'zoned'; sourceId: number; zoned: ZonedRequest; asOf: number }
  | { kind: 'refresh'; sourceId: number; asOf: number }
  | { kind: 'shapes'; sourceId: number; shapes: 'original' | 'repaired'; asOf: number }
  | { kind: 'extract'; request: ExtractRequest; asOf: number; folder: string; again: string | null }
  | { kind: 'make'; source: MadeSourceRequest; asOf: number };

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
