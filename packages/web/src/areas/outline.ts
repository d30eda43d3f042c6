import { isBuffer, reachOf, Shape, type AreaShape, type Expr } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import { shallowRef, watch, type ShallowRef } from 'vue';
import { api } from '../api/client.ts';

/** A shape to be drawn and the box round it: west, south, east, north. */
export interface Outline {
  shape: Geometry;
  extent: [number, number, number, number];
}

/** The outline of what is being written for an area, a moment after it was changed; null while there is none. */
export function useOutline(shapeNow: () => AreaShape | null): ShallowRef<Outline | null> {
  const outline = shallowRef<Outline | null>(null);
  let asked = 0;
  watch(shapeNow, async (shape) => {
    const mine = ++asked;
    if (!shape) return void (outline.value = null);
    const round = isBuffer(shape as Expr) && 'op' in shape;
    const geometry = round ? (await api.buffered(shape.args[0], reachOf(shape))).geometry : (shape as Geometry);
    if (mine !== asked) return;
    outline.value = { shape: geometry, extent: new Shape(geometry).box };
  });
  return outline;
}
