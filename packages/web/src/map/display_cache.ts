import { shallowReactive } from 'vue';
import type { DisplayGeometry } from '@clean-sieve/core';
import { api } from '../api/client.ts';

/** Geometry for drawing, fetched once a source. */
const cache = shallowReactive(new Map<number, DisplayGeometry>());
const asked = new Set<number>();

/** The geometry of a source has changed; it is fetched again. */
export function forgetDisplay(sourceId: number): void {
  asked.delete(sourceId);
  cache.delete(sourceId);
}

/** The display geometry of a source, or null until it has arrived; reactive. */
export function displayOf(sourceId: number, complain: (error: unknown) => void): DisplayGeometry | null {
  if (!asked.has(sourceId)) {
    asked.add(sourceId);
    api.display(sourceId).then(
      (display) => cache.set(sourceId, display),
      (error: unknown) => {
        asked.delete(sourceId);
        complain(error);
      },
    );
  }
  return cache.get(sourceId) ?? null;
}
