import type { ColumnSchema, Expr, LayerRead } from '@clean-sieve/core';
import type { FetchedFrom, ServiceLook } from '../api/contract.ts';
import type { OwnSystem } from '../ogc_api/own_system.ts';

/** A layer that was read, with what is told of where it was read from. */
export interface LayerHere {
  read: LayerRead;
  /** Name of the format. */
  format: string;
  hash: string;
}

/** Features that were fetched from elsewhere, with what is known of how they came. */
export interface Snapshot {
  /** A file in the job's folder, with the system of its coordinates (null: longitude, latitude), or what was read already. */
  came: { file: string; system: OwnSystem | null } | LayerHere;
  /** The columns that they are known to have. */
  columns: ColumnSchema[];
  /** What they still have to fulfil, all of it: a service may have given more than it was asked for. */
  filter: Expr | null;
  /** Its conditions, and where each was decided. */
  conditions: ServiceLook['conditions'];
  from: FetchedFrom;
  /** Of a sample: how many rows were wanted, and of how many. */
  sample?: { wanted: number; of: number };
  /** What is worth to be known of how they came. */
  remarks: string[];
}
