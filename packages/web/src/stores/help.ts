import { defineStore } from 'pinia';
import { ref } from 'vue';

/** Whether the help and the search over everything are open. */
export const useHelp = defineStore('help', () => {
  const open = ref(false);
  const finding = ref(false);
  function show(): void {
    finding.value = false;
    open.value = true;
  }
  return { open, finding, show };
});
