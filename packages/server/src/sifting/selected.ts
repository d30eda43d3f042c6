import { nearMisses, siftTree, type Mask, type Sifter } from '@clean-sieve/core';
import type { Selection } from '../api/contract.ts';

/** The features that a tree keeps, or that only one of its conditions leaves out. */
export function selected(sifter: Sifter, { tree, nearMissesOf }: Selection): Mask {
  return nearMissesOf === undefined ? siftTree(sifter, tree).mask : nearMisses(sifter, tree, nearMissesOf);
}
