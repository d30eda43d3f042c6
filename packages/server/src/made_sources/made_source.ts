import type { FeatureTable } from '@clean-sieve/core';
import type { JobResult } from '../jobs/job_tasks.ts';
import type { SiftService } from '../sifting/sift_service.ts';
import type { Store } from '../store/store.ts';
import type { SourceDescription } from '../store/table_store.ts';

/** With what a source is made. */
export interface Making {
  orm: Store;
  /** Days since 1970-01-01 that relative dates count from. */
  asOf: number;
  /** Told how far it is, 0 to 1, and in words; throws once the job is cancelled. */
  report: (share: number, progress: string) => void;
}

/** A source that was not brought in but made. */
export interface Made {
  table: FeatureTable;
  description: Omit<SourceDescription, 'role'>;
  /** What there is to say of it beside its number. */
  result?: Pick<JobResult, 'cut'>;
}

/** How sources of one kind are made, of what is asked for. */
export interface MadeSource<Asked> {
  /** Refuses what cannot be made, before anything is under way. */
  check: (asked: Asked, sifting: SiftService, asOf: number) => Promise<unknown>;
  make: (asked: Asked, making: Making) => Promise<Made>;
}
