import { emptyTree, type Expr, type Group } from '@clean-sieve/core';
import type { SieveInfo } from '@clean-sieve/server/api';
import { nextTick } from 'vue';

/** For tests: a workspace with a source of 9,000 features of which three are held, and a sieve over it. */

export const treeOf = (expr: Expr): Group => ({ ...emptyTree(), children: [{ kind: 'condition', id: 'c', expr }] });
export const atLeast = (n: number): Group => treeOf({ op: '>=', args: [{ property: 'n' }, n] });

export const sampledSieve: SieveInfo = {
  ...{ id: 1, sourceId: 1, name: 'sieve', tree: atLeast(0), colour: 0, visible: true, style: null, view: null, mentions: [], version: 1 },
};

/** The workspace as the server tells it. @param sample whether only a sample is held */
export function sampledState(sample = true): object {
  const fetchedFrom = { address: 'postgresql://h/d', collection: 't', filter: null, leftOut: [], askedAt: '', matched: 9000, came: 3 };
  const live = { held: 'x', conditions: [], ...(sample ? { sample: { wanted: 3, of: 9000 } } : {}) };
  const source = {
    ...{ id: 1, name: 'source', role: 'layer', rows: 9000, held: 3, takenAt: '2026-01-01T00:00:00.000Z', shapes: 'original' },
    ...{ columns: [{ name: 'n', type: 'number', derivation: null }], older: [], notes: [], geometryTypes: {}, extent: null, style: null },
    fetchedFrom: { ...fetchedFrom, live },
  };
  return {
    ...{ name: 'test', asOf: null, today: '2026-11-24', sources: [source], sieves: [sampledSieve], areas: [], feeds: [], feedsAt: null },
    ...{ simulatedAt: null, codeLists: [] },
  };
}

/** What the sample says of the sieve. */
export const estimated = {
  total: 9000,
  kept: { about: 6000 },
  unknown: null,
  rows: [],
  nearMisses: {},
  without: {},
  findings: [],
  near: [],
};

/** Waits until something is so. */
export async function until(holds: () => boolean): Promise<void> {
  for (let i = 0; i < 300 && !holds(); i++) await new Promise((done) => setTimeout(done, 10));
  await nextTick();
  expect(holds()).toBe(true);
}
