<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import { FORMATS } from '@clean-sieve/core';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useBringIn } from '../stores/bring_in.ts';
import { useJobs } from '../stores/jobs.ts';

const bringIn = useBringIn();
const jobs = useJobs();
const chooser = ref<HTMLInputElement>();
const over = ref(false);
const endings = FORMATS.flatMap((format) => format.extensions);

watch(
  () => bringIn.wanted,
  () => chooser.value?.click(),
);

function onChosen(event: Event): void {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  void bringIn.take(files);
}

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
  void bringIn.take([...(event.dataTransfer?.files ?? [])]);
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
  <input ref="chooser" type="file" multiple hidden :accept="endings.join(',')" data-test="file" @change="onChosen" />
  <div v-if="over" class="veil">
    <div class="drop">
      <b>Drop to bring it in</b>
      <span class="soft">GeoJSON, newline-delimited GeoJSON, or CSV with longitude and latitude</span>
    </div>
  </div>
  <div v-if="jobs.jobs.length > 0" class="jobs" aria-live="polite">
    <div v-for="job in jobs.jobs" :key="job.id" class="job" :class="job.state" data-test="job">
      <div class="line">
        <b>{{ job.label }}</b>
        <button v-if="job.state === 'running'" class="plain link" type="button" @click="jobs.cancel(job.id)">
          Cancel
        </button>
        <button v-else class="plain" type="button" aria-label="Dismiss" @click="jobs.dismiss(job.id)">
          <v-icon :icon="mdiClose" size="17" />
        </button>
      </div>
      <template v-if="job.state === 'running'">
        <v-progress-linear :model-value="job.share * 100" color="primary" height="5" rounded />
        <span class="soft">{{ job.progress }}</span>
      </template>
      <p v-else role="alert">{{ job.error }}</p>
    </div>
  </div>
  <v-dialog :model-value="bringIn.unplaced !== null" width="440" @update:model-value="bringIn.unplaced = null">
    <v-card v-if="bringIn.unplaced" class="dialog">
      <h3>Where are the coordinates?</h3>
      <p class="soft">
        {{ bringIn.unplaced.file.name }} has no columns whose names say longitude and latitude. Which ones are they?
      </p>
      <v-select
        v-model="bringIn.unplaced.lon"
        :items="bringIn.unplaced.columns"
        label="Longitude (degrees east)"
        data-test="lon"
      />
      <v-select
        v-model="bringIn.unplaced.lat"
        :items="bringIn.unplaced.columns"
        label="Latitude (degrees north)"
        data-test="lat"
      />
      <div class="buttons">
        <v-btn variant="text" @click="bringIn.unplaced = null">Cancel</v-btn>
        <v-btn
          color="primary"
          :disabled="!bringIn.unplaced.lon || !bringIn.unplaced.lat || bringIn.unplaced.lon === bringIn.unplaced.lat"
          @click="bringIn.placeColumns()"
          >Bring it in</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
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
.jobs {
  position: fixed;
  left: 12px;
  bottom: 12px;
  z-index: 2500;
  width: 380px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.job {
  padding: 10px 14px;
  border: 1px solid var(--line);
  border-radius: 12px;
  background: var(--surface);
  box-shadow: var(--shadow);
}
.job.failed {
  border-color: var(--copper);
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  margin-bottom: 5px;
}
.job p {
  margin: 0;
  overflow-wrap: anywhere;
}
.dialog {
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 16px 20px;
}
.dialog h3 {
  margin: 0;
  font-size: 17px;
}
.dialog p {
  margin: 0;
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
</style>
