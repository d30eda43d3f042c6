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
  const say = (text: string) => (current.value = { text, kind: 'info' });
  const complain = (error: unknown) => (current.value = { text: error instanceof Error ? error.message : String(error), kind: 'error' });
  const offer = (text: string, label: string, take: () => Promise<void>) =>
    (current.value = { text, kind: 'error', offer: { label, take } });
  return { current, say, complain, offer };
});
