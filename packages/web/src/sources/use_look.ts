import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { latest } from '../api/latest.ts';
import { sentence } from '../words/sentence.ts';

/** Milliseconds that a form has to rest before it is looked at what it would give. */
const RESTS = 350;

/**
 * What a panel would make, looked at anew with everything that is chosen; what was asked before is given up.
 * @param wanted what is to be looked at; null while something is missing
 * @param ask rejects with why there is no answer. @param told how far it is, in words
 * @param rests whether it waits for the form to rest, as where texts are typed
 * @param keeps whether the answer before stays on show until the next is there
 */
export function useLook<W, T>(
  wanted: () => W | null,
  ask: (wanted: W, signal: AbortSignal, told: (progress: string) => void) => Promise<T>,
  { rests = true, keeps = false }: { rests?: boolean; keeps?: boolean } = {},
) {
  const answer = shallowRef<T | null>(null);
  const looking = ref(false);
  const progress = ref('');
  const trouble = ref('');
  const asking = latest();
  let resting: ReturnType<typeof setTimeout> | undefined;
  const giveUp = () => {
    clearTimeout(resting);
    void asking(() => Promise.resolve(null));
  };
  async function look(one: W): Promise<void> {
    try {
      const found = await asking((signal) => ask(one, signal, (text) => (progress.value = text)));
      if (found === undefined) return;
      answer.value = found;
    } catch (error) {
      answer.value = null;
      trouble.value = sentence((error as Error).message);
    }
    looking.value = false;
  }
  // The same once more, in another object, is not another question.
  const key = computed(() => JSON.stringify(wanted()));
  watch(
    key,
    () => {
      giveUp();
      const one = wanted();
      if (!keeps) answer.value = null;
      [trouble.value, progress.value, looking.value] = ['', '', one !== null];
      if (one !== null) resting = setTimeout(() => void look(one), rests ? RESTS : 0);
    },
    { immediate: true },
  );
  onBeforeUnmount(giveUp);
  return { answer, looking, progress, trouble };
}
