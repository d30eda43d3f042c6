import type { MadeSourceKind, MadeSourceOf } from '../api/contract.ts';
import { gridCells } from './grid_cells.ts';
import { keptFeatures } from './kept_features.ts';
import type { MadeSource } from './made_source.ts';

/** How sources of each kind are made. */
export const MADE_SOURCES: { [K in MadeSourceKind]: MadeSource<MadeSourceOf<K>> } = {
  kept: keptFeatures,
  grid: gridCells,
};
