<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from '@mdi/js';
import { ref } from 'vue';
import { useNotices } from '../stores/notices.ts';

/** Puts a text on the clipboard. */
const props = defineProps<{ text: string; label: string }>();
const notices = useNotices();
const done = ref(false);
async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(props.text);
    done.value = true;
    setTimeout(() => (done.value = false), 1500);
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <button class="plain copy" type="button" :aria-label="label" @click="copy">
    <v-icon :icon="done ? mdiCheck : mdiContentCopy" size="15" />
    <v-tooltip activator="parent" location="bottom" :text="done ? 'Copied' : label" />
  </button>
</template>

<style scoped>
.copy {
  flex: none;
  padding: 0 3px;
  color: var(--soft);
}
.copy:hover {
  color: var(--spruce);
}
</style>
