import { onBeforeUnmount, ref, watch, type Ref } from 'vue';

/** The room inside an element, in pixels, as it changes; the element may come and go. */
export function useFrameSize(frame: Ref<HTMLElement | undefined>): Ref<{ width: number; height: number }> {
  const size = ref({ width: 300, height: 120 });
  const watching = new ResizeObserver(([{ contentRect }]) => {
    size.value = { width: Math.max(160, contentRect.width), height: Math.max(60, contentRect.height) };
  });
  watch(frame, (now) => {
    watching.disconnect();
    if (now) watching.observe(now);
  });
  onBeforeUnmount(() => watching.disconnect());
  return size;
}
