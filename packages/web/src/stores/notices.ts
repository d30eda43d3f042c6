import { defineStore } from 'pinia';
import { ref } from 'vue';

export interface Notice {
  text: string;
  kind: 'info' | 'error';
  /** Something that can be done about it. */
  offer?: { label: string; take: () => Promise<void> };
}

/** Short messages at the foot of the window, one at a time. */
export const useNotices = defineStore('notices', () => {
  const current = ref<Notice | null>(null);
  /** Another one for each notice: the next has all of its time, however long the one before it has been seen. */
  const number = ref(0);
  function show(notice: Notice): void {
    number.value++;
    current.value = notice;
  }
  const say = (text: string) => show({ text, kind: 'info' });
  const complain = (error: unknown) => show({ text: error instanceof Error ? error.message : String(error), kind: 'error' });
  const offer = (text: string, label: string, take: () => Promise<void>) => show({ text, kind: 'error', offer: { label, take } });
  return { current, number, say, complain, offer };
});
