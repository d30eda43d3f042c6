import { coordinateInWords, fromMercator } from '@clean-sieve/core';
import type { Coordinate } from 'ol/coordinate.js';
import { containsCoordinate } from 'ol/extent.js';
import type OlGeometry from 'ol/geom/Geometry.js';
import type OlMap from 'ol/Map.js';
import { onBeforeUnmount, ref, watch, type Ref, type ShallowRef } from 'vue';
import { cornersOf } from '../area_tools.ts';

/** A shape whose corners can be moved. */
export interface Movable {
  geometry: OlGeometry;
  /** Keeps it as it is now. */
  put: () => void;
}

/** A corner that the arrows move. */
export interface ChosenCorner {
  number: number;
  of: number;
  at: Coordinate;
  /** Where it is, in words. */
  place: string;
}

/** Pixels that an arrow key moves a corner by; with Shift finely. */
const STEP = 12;
const FINE_STEP = 1;
/** Milliseconds without a further step after which a corner stays where it is. */
const RESTS = 400;
const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** Corners of a shape, each place once: a ring ends where it began. */
export function placesOf(geometry: OlGeometry): Coordinate[] {
  return [...new Map(cornersOf(geometry).map((corner) => [corner.join(), corner])).values()];
}

/** Moves what lies at one place of a shape to another. */
export function moveCorner(geometry: OlGeometry, from: Coordinate, to: Coordinate): void {
  geometry.applyTransform((flat, out = flat, stride = 2) => {
    for (let i = 0; i < flat.length; i += stride) {
      const isThere = flat[i] === from[0] && flat[i + 1] === from[1];
      [out[i], out[i + 1]] = isThere ? to : [flat[i], flat[i + 1]];
    }
    return out;
  });
}

/**
 * Corners by keyboard, while the map has it: `]` and `[` go from one to the next, the arrows move it, Enter lets it go.
 * @param movable the shape that is being edited; null for none
 */
export function useCornerKeys(map: ShallowRef<OlMap | null>, movable: Ref<Movable | null>): Ref<ChosenCorner | null> {
  const chosen = ref<ChosenCorner | null>(null);
  let target: HTMLElement | null = null;
  let resting: ReturnType<typeof setTimeout> | undefined;

  function choose(number: number): void {
    const corners = movable.value ? placesOf(movable.value.geometry) : [];
    if (corners.length === 0) return letGo();
    const wrapped = (number + corners.length) % corners.length;
    const at = corners[wrapped];
    const [lon, lat] = fromMercator(at[0], at[1]);
    chosen.value = { number: wrapped, of: corners.length, at, place: coordinateInWords(lon, lat) };
    const view = map.value?.getView();
    if (view && !containsCoordinate(view.calculateExtent(map.value!.getSize()), at)) view.setCenter(at);
  }

  function move([x, y]: [number, number], step: number): void {
    const by = step * (map.value?.getView().getResolution() ?? 1);
    const { at, number } = chosen.value!;
    moveCorner(movable.value!.geometry, at, [at[0] + x * by, at[1] + y * by]);
    choose(number);
    clearTimeout(resting);
    resting = setTimeout(put, RESTS);
  }
  function put(): void {
    clearTimeout(resting);
    resting = undefined;
    movable.value?.put();
  }
  function letGo(): void {
    if (resting !== undefined) put();
    chosen.value = null;
  }

  function onKey(event: KeyboardEvent): void {
    if (event.target !== target || !movable.value) return;
    const arrow = ARROWS[event.key];
    if (event.key === ']') choose((chosen.value?.number ?? -1) + 1);
    else if (event.key === '[') choose((chosen.value?.number ?? 0) - 1);
    else if (chosen.value && arrow) move(arrow, event.shiftKey ? FINE_STEP : STEP);
    else if (chosen.value && (event.key === 'Enter' || event.key === 'Escape')) letGo();
    else return;
    event.preventDefault();
    // The map itself would move too.
    event.stopImmediatePropagation();
  }

  // The shape is another one after each step that was kept; the corner is the same.
  watch(movable, (now) => {
    if (chosen.value && now) choose(chosen.value.number);
    else letGo();
  });
  watch(map, (now) => {
    target?.removeEventListener('keydown', onKey, { capture: true });
    target?.removeEventListener('blur', letGo);
    target = now?.getTargetElement() ?? null;
    target?.addEventListener('keydown', onKey, { capture: true });
    target?.addEventListener('blur', letGo);
  });
  onBeforeUnmount(() => {
    target?.removeEventListener('keydown', onKey, { capture: true });
    target?.removeEventListener('blur', letGo);
    clearTimeout(resting);
  });
  return chosen;
}
