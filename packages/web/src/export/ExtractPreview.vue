<script setup lang="ts">
import type { ExtractRequest, PreviewAnswer } from '@clean-sieve/server/api';
import { dayInWords } from '@clean-sieve/core';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { api } from '../api/client.ts';

/** The first rows, file names and size of what would be made. */
const props = defineProps<{ request: ExtractRequest; at: number; asFile: boolean; isSample: boolean }>();
const emit = defineEmits<{ answer: [preview: PreviewAnswer | null] }>();
const preview = ref<PreviewAnswer | null>(null);
const failed = ref('');
const busy = ref(false);
let timer: ReturnType<typeof setTimeout> | undefined;
let asked: AbortController | null = null;

watch(
  () => JSON.stringify(props.request),
  () => {
    clearTimeout(timer);
    busy.value = true;
    timer = setTimeout(() => void load(), 250);
  },
  { immediate: true },
);
onBeforeUnmount(() => {
  clearTimeout(timer);
  asked?.abort();
});

async function load(): Promise<void> {
  asked?.abort();
  const mine = (asked = new AbortController());
  try {
    preview.value = await api.previewExtract(props.request, mine.signal);
    failed.value = '';
  } catch (error) {
    if (mine.signal.aborted) return;
    [preview.value, failed.value] = [null, (error as Error).message];
  }
  busy.value = false;
  emit('answer', preview.value);
}

const layer = computed(() => preview.value?.layers[props.at] ?? null);
const size = computed(() => {
  const bytes = preview.value?.bytes ?? 0;
  return bytes < 1e5
    ? `${Math.max(1, Math.round(bytes / 1e3))} kB`
    : bytes < 1e9
      ? `${(bytes / 1e6).toFixed(1)} MB`
      : `${(bytes / 1e9).toFixed(1)} GB`;
});
const text = (cell: PreviewAnswer['layers'][number]['rows'][number][number]) =>
  cell === null ? '' : typeof cell === 'boolean' ? (cell ? 'yes' : 'no') : String(cell);
</script>

<template>
  <section class="preview" :class="{ busy }" aria-label="Preview">
    <p v-if="failed" class="warn" role="alert">{{ failed }}</p>
    <p v-else-if="layer?.error" class="warn" role="alert" data-test="preview-error">{{ layer.error }}</p>
    <p v-else-if="!layer" class="soft">Looking at the first rows …</p>
    <template v-else>
      <div class="table" tabindex="0">
        <table>
          <thead>
            <tr>
              <th v-for="column in layer.columns" :key="column">{{ column }}</th>
              <th v-if="layer.shapes.length > 0" class="soft">shape</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, r) in layer.rows" :key="r">
              <td v-for="(cell, c) in row" :key="c" :class="{ number: typeof cell === 'number' }">{{ text(cell) }}</td>
              <td v-if="layer.shapes.length > 0" class="mono soft">{{ layer.shapes[r] }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="layer.rows.length === 0 && isSample" class="soft none">
          No features of the sample; whether there are others shows when it is made.
        </p>
        <p v-else-if="layer.rows.length === 0" class="soft none">No features: the file will have its columns and no rows.</p>
      </div>
      <p v-if="isSample" class="soft" data-test="of-sample">
        Rows of the sample. {{ asFile ? 'The file gets' : 'What is made gets' }} all that is kept, asked for when it is made.
      </p>
      <ul v-if="layer.losses.length > 0" class="losses" data-test="losses">
        <li v-for="{ text: said, lost } in layer.losses" :key="said" :class="{ warn: lost }">{{ said }}</li>
      </ul>
    </template>
    <p v-if="preview && !failed && asFile && preview.layers.every(({ error }) => error === null)" class="files">
      <b data-test="file-name">{{ preview.files[0] }}</b>{{ isSample ? '' : `, about ${size}` }}, with its note
      <span v-if="preview.namesake" class="soft"
        >· one of this name was made on {{ dayInWords(preview.namesake.slice(0, 10)) }}; both are kept</span
      >
    </p>
  </section>
</template>

<style scoped>
.preview {
  display: flex;
  flex: 1;
  flex-direction: column;
  gap: 6px;
  min-height: 0;
  transition: opacity 0.15s;
}
.busy .table {
  opacity: 0.55;
}
.table {
  flex: 1;
  min-height: 60px;
  overflow: auto;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--surface);
}
table {
  border-collapse: collapse;
  font-size: 12.5px;
}
th,
td {
  max-width: 240px;
  padding: 2px 10px;
  overflow: hidden;
  border-bottom: 1px solid var(--line);
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
}
td.mono {
  font-size: 12px;
}
th {
  position: sticky;
  top: 0;
  background: var(--sunk);
  font-weight: 600;
}
.number {
  text-align: right;
}
p {
  margin: 0;
}
.none {
  padding: 10px;
}
.losses {
  max-height: 74px;
  padding-left: 18px;
  overflow-y: auto;
  font-size: 12.5px;
}
.warn {
  color: var(--copper-text);
  font-weight: 600;
}
</style>
