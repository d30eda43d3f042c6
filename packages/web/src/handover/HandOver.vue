<script setup lang="ts">
import { FORMATS, treeInWords } from '@clean-sieve/core';
import { computed, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { useJobs } from '../stores/jobs.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';

const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const sifting = useSifting();
const jobs = useJobs();
const notices = useNotices();

const SOURCE = 'source';
const choices = [
  ...FORMATS.map((format) => ({ value: format.name, title: format.label, under: `A file, ${format.extensions[0]}` })),
  {
    value: SOURCE,
    title: 'A new source in this workspace',
    under: 'A copy as of now; it does not follow later changes',
  },
];
const format = ref('geojson');
const name = ref('');
const running = ref(false);

const source = computed(() => workspace.activeSource);
const kept = computed(() => sifting.kept ?? 0);
const words = computed(() => (source.value ? treeInWords(sifting.shownTree, workspace.wording(source.value)) : ''));
const ending = computed(() => FORMATS.find((candidate) => candidate.name === format.value)?.extensions[0] ?? '');

watch(open, (now) => {
  if (!now || !source.value) return;
  const title = workspace.activeSieve ? workspace.nameOf(workspace.activeSieve) : source.value.name;
  name.value = title.slice(0, 80);
});

async function run(): Promise<void> {
  if (!source.value) return;
  running.value = true;
  try {
    const { id } = source.value;
    const tree = sifting.shownTree;
    const started =
      format.value === SOURCE
        ? await api.subset(id, tree, name.value.trim())
        : await api.extract(id, tree, format.value, name.value.trim());
    open.value = false;
    const job = await jobs.follow(started);
    if (job.state === 'cancelled') notices.say('Cancelled; nothing was written.');
    if (job.state !== 'done' || !job.result) return;
    if (job.result.file) {
      const link = document.createElement('a');
      link.href = job.result.file;
      link.click();
      notices.say(
        `${plural(job.result.features ?? 0, 'feature')} written, ${((job.result.bytes ?? 0) / 1e6).toFixed(2)} MB.`,
      );
    } else if (job.result.sourceId !== undefined) {
      await workspace.load();
      workspace.openSource(job.result.sourceId);
      notices.say(`${name.value.trim()}: a new source of ${plural(job.result.features ?? 0, 'feature')}.`);
    }
  } catch (error) {
    notices.complain(error);
  } finally {
    running.value = false;
  }
}
</script>

<template>
  <v-dialog v-model="open" width="520">
    <v-card v-if="source" class="dialog" data-test="hand-over-dialog">
      <h3>Hand over</h3>
      <div class="what">
        <div class="big">
          {{ counted(kept) }} <span>of {{ plural(source.rows, 'feature') }}</span>
        </div>
        <p>
          {{ source.name }}<template v-if="words"> with {{ words }}</template
          ><template v-else>, nothing sifted out</template>
        </p>
        <p v-if="kept === 0" class="warn">Nothing is kept, so the result will be empty.</p>
        <p class="soft">
          All {{ source.columns.length }} columns and the geometry, in longitude and latitude (WGS 84).
        </p>
      </div>
      <div class="choices" role="radiogroup" aria-label="As what">
        <label v-for="choice in choices" :key="choice.value" :class="{ on: format === choice.value }">
          <input v-model="format" type="radio" :value="choice.value" name="format" />
          <span
            ><b>{{ choice.title }}</b
            ><span class="soft">{{ choice.under }}</span></span
          >
        </label>
      </div>
      <v-text-field
        v-model="name"
        :label="format === SOURCE ? 'Name of the source' : 'File name'"
        :suffix="ending"
        maxlength="120"
        data-test="extract-name"
      />
      <div class="buttons">
        <v-btn variant="text" @click="open = false">Cancel</v-btn>
        <v-btn color="primary" :disabled="name.trim() === '' || running" data-test="run" @click="run">{{
          format === SOURCE ? 'Make the source' : 'Write the file'
        }}</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.dialog {
  display: flex;
  flex-direction: column;
  gap: 14px;
  padding: 18px 22px;
}
h3 {
  margin: 0;
  font-size: 18px;
}
.what {
  padding: 12px 14px;
  border-left: 4px solid var(--copper);
  background: var(--paper);
  border-radius: 0 10px 10px 0;
}
.what p {
  margin: 4px 0 0;
}
.big {
  font-size: 24px;
  font-weight: 700;
  color: var(--spruce);
}
.big span {
  font-size: 14px;
  font-weight: 400;
  color: var(--ink);
}
.warn {
  color: var(--copper-text);
  font-weight: 600;
}
.choices {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.choices label {
  display: flex;
  gap: 9px;
  padding: 9px 12px;
  border: 1px solid var(--line);
  border-radius: 10px;
  cursor: pointer;
}
.choices label.on {
  border-color: var(--spruce);
  background: var(--tint);
}
.choices input {
  accent-color: var(--spruce);
}
.choices b,
.choices .soft {
  display: block;
  font-size: 13.5px;
}
.choices .soft {
  font-size: 12.5px;
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
</style>
