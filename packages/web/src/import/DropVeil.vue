<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue';
import { useImports } from '../stores/imports.ts';

/** Takes files that are dropped anywhere on the window, from the first moment on: the browser would leave the page for them. */
const importing = useImports();
const over = ref(false);
const known = ref('');
onMounted(async () => {
  ({ KNOWN: known.value } = await import('./known_formats.ts'));
});

const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files') === true;
function onDragOver(event: DragEvent): void {
  if (!hasFiles(event)) return;
  event.preventDefault();
  over.value = true;
}
function onDragLeave(event: DragEvent): void {
  if (event.relatedTarget === null) over.value = false;
}
function onDrop(event: DragEvent): void {
  if (!hasFiles(event)) return;
  event.preventDefault();
  over.value = false;
  void importing.take([...(event.dataTransfer?.files ?? [])]);
}
onMounted(() => {
  window.addEventListener('dragover', onDragOver);
  window.addEventListener('dragleave', onDragLeave);
  window.addEventListener('drop', onDrop);
});
onBeforeUnmount(() => {
  window.removeEventListener('dragover', onDragOver);
  window.removeEventListener('dragleave', onDragLeave);
  window.removeEventListener('drop', onDrop);
});
</script>

<template>
  <div v-if="over" class="veil">
    <div class="drop">
      <b>Drop to bring it in</b>
      <span class="soft">{{ known }}, or a zip of them</span>
    </div>
  </div>
</template>

<style scoped>
.veil {
  position: fixed;
  inset: 0;
  z-index: 3000;
  display: grid;
  place-items: center;
  background: rgba(34, 48, 43, 0.45);
  pointer-events: none;
}
.drop {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 4px;
  padding: 36px 56px;
  border: 3px dashed var(--spruce-2);
  border-radius: 20px;
  background: var(--surface);
}
.drop b {
  font-size: 20px;
}
</style>
