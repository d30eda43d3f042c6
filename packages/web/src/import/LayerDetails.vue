<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { dayInWords } from '@clean-sieve/core';
import type { Candidate } from '../stores/imports.ts';
import { useImports } from '../stores/imports.ts';
import { counted, plural } from '../words/numbers.ts';
import LayerPreviewMap from './LayerPreviewMap.vue';
import SampleTable from './SampleTable.vue';
import SystemPicker from './SystemPicker.vue';

const props = defineProps<{ candidate: Candidate }>();
const importing = useImports();
const look = computed(() => props.candidate.look);
const choosingSystem = ref(false);
const x = ref<string | null>(null);
const y = ref<string | null>(null);
watch(
  () => look.value.file + look.value.layer,
  () => {
    choosingSystem.value = false;
    x.value = y.value = null;
  },
);

/** Where the layer would lie in the system pointed at. */
const peek = ref<number | null>(null);
const peeked = computed(() => look.value.likely.find(({ code }) => code === peek.value)?.extent ?? null);
const boxOf = ([w, s, e, n]: [number, number, number, number]) => ({
  type: 'Polygon',
  coordinates: [
    [
      [w, s],
      [e, s],
      [e, n],
      [w, n],
      [w, s],
    ],
  ],
});

const facts = computed(() => {
  const { format, features, looked, complete, geometryTypes, encoding, period, attributesOnly } = look.value;
  const types = Object.keys(geometryTypes).map((type) => (type === 'None' ? 'without geometry' : type));
  const out: [string, string][] = [['Format', encoding ? `${format}, text in ${encoding}` : format]];
  out.push(['Features', features === null ? `more than ${counted(looked)}` : counted(features)]);
  out.push(['Geometry', attributesOnly ? 'none: a table' : types.join(', ') || 'none']);
  if (period) out.push(['Period', `${dayInWords(period.from)} to ${dayInWords(period.to)} (${period.column})`]);
  if (!complete) out.push(['Looked at', `the first ${counted(looked)} features`]);
  return out;
});

function pickSystem(code: number): void {
  choosingSystem.value = false;
  void importing.decide(props.candidate, { crs: `EPSG:${code}` });
}
</script>

<template>
  <div class="details" :class="{ busy: candidate.busy }">
    <template v-if="look.error !== null">
      <p class="problem" role="alert">{{ look.error }}</p>
      <div v-if="look.askColumns" class="ask">
        <p>Which columns hold the coordinates?</p>
        <div class="fields">
          <v-select v-model="x" :items="look.askColumns" label="Longitude or easting" data-test="lon" />
          <v-select v-model="y" :items="look.askColumns" label="Latitude or northing" data-test="lat" />
          <v-btn
            variant="tonal"
            :disabled="!x || !y || x === y || candidate.busy"
            data-test="place"
            @click="importing.decide(candidate, { longitude: x, latitude: y })"
            >Look again</v-btn
          >
        </div>
        <p>
          It has none?
          <button
            class="plain link"
            type="button"
            :disabled="candidate.busy"
            data-test="take-bare"
            @click="importing.decide(candidate, { bare: true })"
          >
            Take it as a table without geometry
          </button>
          : it is sifted by its columns, and can be joined to others.
        </p>
      </div>
    </template>
    <template v-else>
      <div class="upper side-by-side">
        <dl>
          <template v-for="[term, text] in facts" :key="term">
            <dt>{{ term }}</dt>
            <dd>{{ text }}</dd>
          </template>
          <template v-if="!look.attributesOnly">
            <dt>Coordinates</dt>
            <dd>
              <template v-if="look.crs"
                >{{ look.crs.label }} <span v-if="look.crs.name.startsWith('EPSG')" class="mono soft">{{ look.crs.name }}</span></template
              >
              <span v-else class="problem">not known</span>
              <button class="plain link change" type="button" data-test="change-system" @click="choosingSystem = !choosingSystem">
                {{ choosingSystem ? 'leave it' : 'change' }}
              </button>
            </dd>
          </template>
        </dl>
        <div v-if="!look.attributesOnly" class="map">
          <LayerPreviewMap :shapes="peeked ? [boxOf(peeked)] : look.shapes" :extent="peeked ?? look.extent" />
        </div>
      </div>
      <p v-if="look.crsProblem" class="problem" role="alert">{{ look.crsProblem }}</p>
      <SystemPicker
        v-if="choosingSystem || (look.crsProblem && !look.crs)"
        :likely="look.likely"
        @pick="pickSystem"
        @peek="(code) => (peek = code)"
      />
      <ul v-if="look.notes.length > 0" class="notes soft">
        <li v-for="note in look.notes" :key="note">{{ note }}</li>
      </ul>
      <SampleTable :look="look" />
      <p class="soft small">{{ plural(look.columns.length, 'column') }}; types are settled from all values when it comes in.</p>
    </template>
  </div>
</template>

<style scoped>
.details {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-width: 0;
  min-height: 0;
}
.busy {
  opacity: 0.55;
}
.upper {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 14px;
  min-height: 170px;
}
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  align-content: start;
  gap: 4px 14px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.change {
  margin-left: 8px !important;
}
p {
  margin: 0;
}
.problem {
  color: var(--copper-text);
  font-weight: 600;
  overflow-wrap: anywhere;
}
.ask {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 10px;
  align-items: center;
}
.notes {
  margin: 0;
  padding-left: 18px;
  max-height: 60px;
  overflow-y: auto;
}
.small {
  font-size: 12.5px;
}
</style>
