import type OlMap from 'ol/Map.js';
import { onBeforeUnmount, ref, watch, type Ref, type ShallowRef } from 'vue';

/** Pixels that an arrow key moves the map by with Shift; without it the map's own, larger steps are taken. */
const SMALL_STEP = 12;
const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/**
 * The map by keyboard: the arrows move it below a cross in its middle, where the space bar does what a click of the mouse does (with
 * Shift: what a click with Shift does).
 * @returns whether the cross is to be seen
 */
export function useMapKeys(map: ShallowRef<OlMap | null>): Ref<boolean> {
  const aims = ref(false);
  let target: HTMLElement | null = null;

  /** Tells the map of a pointer at its middle. */
  function send(kinds: readonly string[], shiftKey = false): void {
    const viewport = map.value?.getViewport();
    if (!viewport) return;
    const { left, top, width, height } = viewport.getBoundingClientRect();
    const at = { clientX: left + width / 2, clientY: top + height / 2, pointerId: 1, pointerType: 'mouse', isPrimary: true, shiftKey };
    for (const kind of kinds)
      viewport.dispatchEvent(new PointerEvent(kind, { ...at, button: kind === 'pointermove' ? -1 : 0, bubbles: true, cancelable: true }));
  }

  function onKey(event: KeyboardEvent): void {
    if (event.target !== target) return;
    const view = map.value?.getView();
    const arrow = ARROWS[event.key];
    if (event.key === ' ') {
      aims.value = true;
      send(['pointermove', 'pointerdown', 'pointerup'], event.shiftKey);
      event.preventDefault();
    } else if (arrow && view) {
      aims.value = true;
      if (!event.shiftKey) return;
      const step = SMALL_STEP * (view.getResolution() ?? 1);
      const [x, y] = view.getCenter() ?? [0, 0];
      view.setCenter([x + arrow[0] * step, y + arrow[1] * step]);
      event.preventDefault();
    }
  }
  const onFocus = (): void => void (aims.value = target?.matches(':focus-visible') ?? false);
  const leave = (): void => void (aims.value = false);
  /** What is being drawn follows the cross. */
  const moved = (): void => {
    if (aims.value) send(['pointermove']);
  };

  function stop(): void {
    target?.removeEventListener('keydown', onKey);
    target?.removeEventListener('focus', onFocus);
    target?.removeEventListener('blur', leave);
  }
  watch(map, (now) => {
    stop();
    target = now?.getTargetElement() ?? null;
    target?.addEventListener('keydown', onKey);
    target?.addEventListener('focus', onFocus);
    target?.addEventListener('blur', leave);
    now?.on('moveend', moved);
  });
  onBeforeUnmount(stop);
  return aims;
}
