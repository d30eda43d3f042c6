import type { Call, Expr } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { Spatial } from './plain_truth.ts';
import type { Random } from './random.ts';

/** Makes relations in space of one kind. */
export interface Place {
  relation: (random: Random) => Call;
}

export async function spatialAnswers(_shapes: readonly (Geometry | null)[], _used: readonly Expr[]): Promise<Spatial> {
  return Promise.resolve(() => null);
}
