import type { ThreadData } from '../store/store.ts';

/** What a sifting thread is started with. */
export interface SiftThreadData extends ThreadData {
  /** Holds the number of the question that the thread is to end. */
  unwanted: Int32Array;
}
