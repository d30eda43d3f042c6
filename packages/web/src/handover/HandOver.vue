<script setup lang="ts">
import {
  activeConditions,
  cutPlaceOf,
  FORMATS,
  formOfExpr,
  shapeInWords,
  sentenceOf,
  type CutReport,
} from '@clean-sieve/core';
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
const sentence = computed(() => (source.value ? sentenceOf(source.value.name, sifting.shownTree, workspace.wording(source.value)).map(({ text }) => text).join('') : '')); // prettier-ignore
const ending = computed(() => FORMATS.find((candidate) => candidate.name === format.value)?.extensions[0] ?? '');

/** Conditions that lines and polygons can be cut by. */
const cutters = computed(() => {
  const { value } = source;
  if (!value || Object.keys(value.geometryTypes).every((type) => /Point$|None/.test(type))) return [];
  return activeConditions(sifting.shownTree).flatMap(({ id, expr }) => {
    const place = cutPlaceOf(formOfExpr(expr, value.columns));
    return place ? [{ value: id, title: shapeInWords(place).replace(/^any of /, '') }] : [];
  });
});
const cutting = ref(false);
const cutter = ref('');
const tolerance = ref('1');
const cut = computed(() => (cutting.value ? { condition: cutter.value, tolerance: Math.max(0, Number(tolerance.value) || 0) } : null)); // prettier-ignore

function cutInWords({ cut: done, whole, gone, slivers, flattened }: CutReport): string {
  const left = gone > 0 ? ` ${counted(gone)} only touch it and are left out.` : '';
  const heights = flattened > 0 ? ` The heights of ${counted(flattened)} are left out.` : '';
  const small = slivers > 0 ? ` ${plural(slivers, 'part')} left below ${tolerance.value} m² or m.` : '';
  return ` ${counted(done)} cut, ${counted(whole)} wholly within.${left}${small}${heights}`;
}

watch(open, (now) => {
  if (!now || !source.value) return;
  cutting.value = false;
  cutter.value = cutters.value[0]?.value ?? '';
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
        ? await api.subset(id, tree, name.value.trim(), cut.value)
        : await api.extract(id, tree, format.value, name.value.trim(), cut.value);
    open.value = false;
    const job = await jobs.follow(started);
    if (job.state === 'cancelled') notices.say('Cancelled; nothing was written.');
    if (job.state !== 'done' || !job.result) return;
    const how = job.result.cut ? cutInWords(job.result.cut) : '';
    if (job.result.file) {
      const link = document.createElement('a');
      link.href = job.result.file;
      link.click();
      notices.say(
        `${plural(job.result.features ?? 0, 'feature')} written, ${((job.result.bytes ?? 0) / 1e6).toFixed(2)} MB.${how}`,
      );
    } else if (job.result.sourceId !== undefined) {
      await workspace.load();
      workspace.openSource(job.result.sourceId);
      notices.say(`${name.value.trim()}: a new source of ${plural(job.result.features ?? 0, 'feature')}.${how}`);
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
          {{ sentence }}
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
      <div v-if="cutters.length > 0" class="cut">
        <v-checkbox
          v-model="cutting"
          :label="cutters.length === 1 ? `Cut to ${cutters[0].title}` : 'Cut to'"
          data-test="cut"
        />
        <v-select
          v-if="cutters.length > 1"
          v-model="cutter"
          :items="cutters"
          :disabled="!cutting"
          aria-label="Cut to"
        />
        <v-text-field
          v-if="cutting"
          v-model="tolerance"
          type="number"
          min="0"
          suffix="m² or m"
          label="Slivers below"
          class="sliver"
        />
      </div>
      <p v-if="cutting" class="soft">Areas and lengths before and after stand in columns of their own.</p>
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
.cut {
  display: flex;
  align-items: center;
  gap: 10px;
}
.cut > :first-child {
  flex: 1;
}
.sliver {
  flex: none;
  width: 170px;
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
</style>
