<script setup lang="ts">
import { mdiClose } from '@mdi/js';
import { computed, onMounted, ref, watch } from 'vue';
import { useImports } from '../stores/imports.ts';
import { useJobs } from '../stores/jobs.ts';
import { useServices } from '../stores/services.ts';
import { counted, plural } from '../words/numbers.ts';
import { ENDINGS } from './known_formats.ts';
import LayerDetails from './LayerDetails.vue';

const importing = useImports();
const jobs = useJobs();
const services = useServices();
const chooser = ref<HTMLInputElement>();

watch(
  () => importing.wanted,
  () => chooser.value?.click(),
);

function onChosen(event: Event): void {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  void importing.take(files);
}

const current = computed(() => importing.candidates[importing.chosen] ?? null);

/** It was asked for before this was loaded. */
onMounted(() => {
  if (importing.wanted > 0) chooser.value?.click();
});
</script>

<template>
  <input ref="chooser" type="file" multiple hidden :accept="ENDINGS.join(',')" data-test="file" @change="onChosen" />
  <div v-if="jobs.jobs.length > 0" class="jobs" aria-live="polite">
    <div v-for="job in jobs.jobs" :key="job.id" class="job" :class="job.state" data-test="job">
      <div class="line">
        <b>{{ job.label }}</b>
        <button v-if="job.state === 'running'" class="plain link" type="button" @click="jobs.cancel(job.id)">Cancel</button>
        <button
          v-else-if="services.stopped.has(job.id)"
          class="plain link go-on"
          type="button"
          data-test="go-on"
          @click="services.goOn(job.id)"
        >
          Go on where it stopped
        </button>
        <button v-if="job.state !== 'running'" class="plain" type="button" aria-label="Dismiss" @click="jobs.dismiss(job.id)">
          <v-icon :icon="mdiClose" size="17" />
        </button>
      </div>
      <template v-if="job.state === 'running'">
        <v-progress-linear :aria-label="`${job.label}: how far it is`" :model-value="job.share * 100" color="primary" height="5" rounded />
        <span class="soft">{{ job.progress }}</span>
      </template>
      <p v-else role="alert">{{ job.error }}</p>
    </div>
  </div>
  <div v-if="importing.waiting" class="jobs">
    <div class="job">
      <b>{{ importing.waiting }}</b>
      <v-progress-linear aria-label="Looking at the files" indeterminate color="primary" height="5" rounded class="mt-1" />
    </div>
  </div>
  <v-dialog
    :model-value="importing.open"
    width="1080"
    :persistent="true"
    @keydown.esc="importing.close()"
    @update:model-value="importing.close()"
  >
    <v-card class="dialog" data-test="bring-in-dialog">
      <h3>Bring in data</h3>
      <div class="screen side-by-side">
        <ul class="found" aria-label="Layers found">
          <li v-for="(candidate, i) in importing.candidates" :key="i" :class="{ on: i === importing.chosen }" @click="importing.chosen = i">
            <input
              type="checkbox"
              :checked="candidate.take && importing.ready(candidate.look)"
              :disabled="!importing.ready(candidate.look)"
              :aria-label="`Bring in ${candidate.look.layer}`"
              @change="candidate.take = !candidate.take"
            />
            <button class="plain open" type="button" @click="importing.chosen = i">
              <b>{{ candidate.look.layer }}</b>
              <span class="soft">
                <template v-if="candidate.look.error">cannot be read yet</template>
                <template v-else-if="!candidate.look.crs">needs its coordinate system</template>
                <template v-else
                  >{{ candidate.look.attributesOnly ? 'table without geometry, ' : ''
                  }}{{
                    candidate.look.features === null
                      ? `over ${counted(candidate.look.looked)} features`
                      : plural(candidate.look.features, 'feature')
                  }}</template
                >
              </span>
            </button>
          </li>
        </ul>
        <div v-if="current" class="one">
          <v-text-field
            v-if="current.look.error === null"
            v-model="current.name"
            label="Name of the source"
            maxlength="200"
            data-test="source-name"
          />
          <LayerDetails :candidate="current" />
        </div>
      </div>
      <div class="buttons">
        <span class="soft hint">The files stay as they are; what comes in is a copy that is never changed.</span>
        <v-btn variant="text" @click="importing.close()">Cancel</v-btn>
        <v-btn color="primary" :disabled="importing.taken.length === 0" data-test="take" @click="importing.importTaken()">{{
          importing.taken.length > 1 ? `Bring in ${importing.taken.length} layers` : 'Bring it in'
        }}</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
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
  height: min(680px, 92vh);
}
.screen {
  display: grid;
  grid-template-columns: 230px minmax(0, 1fr);
  gap: 18px;
  flex: 1;
  min-height: 0;
}
.found {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  border-right: 1px solid var(--line);
}
.found li {
  display: flex;
  align-items: flex-start;
  gap: 9px;
  padding: 7px 10px;
  border-left: 3px solid transparent;
  cursor: pointer;
}
.found li.on {
  background: var(--tint);
  border-left-color: var(--copper);
}
.found input {
  margin-top: 3px;
  accent-color: var(--spruce);
}
.open {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.open span {
  display: block;
  font-size: 12.5px;
}
.one {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  min-height: 0;
  padding-top: 6px;
  overflow-y: auto;
}
.one > :deep(.v-input) {
  flex: none;
}
.one > .details {
  flex: 1;
}
.hint {
  margin-right: auto;
}
</style>
