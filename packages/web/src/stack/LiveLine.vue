<script setup lang="ts">
import { isDatabase, sampledOf, type Box } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { computed } from 'vue';
import { useMapShow } from '../stores/map_show.ts';
import { useServices } from '../stores/services.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useWholeCounts } from '../stores/whole_counts.ts';
import { counted } from '../words/numbers.ts';
import { sentence } from '../words/sentence.ts';
import { answeredInWords } from './answered.ts';
import DecidedMark from './DecidedMark.vue';
import { filterInView } from './in_view.ts';

/** Of a live source: whom it comes from, when that was asked, and which conditions were decided there. */
const props = defineProps<{ source: SourceInfo }>();
const services = useServices();
const workspace = useWorkspace();
const whole = useWholeCounts();
const show = useMapShow();

const from = computed(() => props.source.fetchedFrom!);
const host = computed(() => new URL(from.value.address).host);
const live = computed(() => from.value.live!);
const kind = computed(() => (isDatabase(from.value.address) ? 'database' : 'service'));
const ofAll = computed(() => sampledOf(from.value));
const askInView = (view: Box) =>
  services.askFor(props.source, {
    ...{ filter: filterInView(from.value.filter, view), leftOut: from.value.leftOut, sample: null },
  });
/** Of how many the numbers of the stack are, and whether exactly. */
const told = computed(() => {
  const of = `all ${counted(ofAll.value)}`;
  if (!workspace.activeSieve) return `Counts and what is handed over: of ${of}.`;
  switch (whole.state) {
    case 'counted':
      return `These numbers: of ${of}.`;
    case 'counting':
      return `These numbers: estimated; ${whole.words ? whole.words.toLowerCase() : 'counting'} …`;
    case 'cannot':
      return 'These numbers: estimated; all cannot be counted.';
    case 'failed':
      return `These numbers: estimated. ${sentence(whole.words)}`;
    default:
      return 'These numbers: estimated.';
  }
});
/** Why all that there is cannot be counted. */
const CANNOT = 'A condition hangs on other features, or would have too many rows fetched to be decided here; what is handed over is of all';
const canStop = computed(() => whole.state === 'counting');
const canCount = computed(() => workspace.activeSieve !== null && (whole.state === 'failed' || whole.state === 'stopped'));
const isAsking = computed(() => services.asking.has(props.source.id));
/** Why there is no answer, where the stack of a sieve does not say it already. */
const trouble = computed(() => (workspace.activeSieve && live.value.held === null ? null : services.failed.get(props.source.id)));
const answered = computed(() => answeredInWords(from.value.askedAt, workspace.today));
</script>

<template>
  <div class="live" data-test="live-line">
    <p>
      <span class="soft" :title="`${from.collection} at ${from.address}`">
        <template v-if="live.held !== null">Live, {{ answered }}</template>
        <template v-else-if="!isAsking">Live, not asked yet</template>
        <template v-if="isAsking">{{ live.held === null ? 'Asking' : '; asking' }} {{ host }} …</template>
      </span>
      <span v-if="!isAsking" class="ways">
        <button class="plain link" type="button" data-test="ask-other" @click="services.change(source)">ask for …</button>
        <button class="plain link" type="button" data-test="ask-anew" @click="services.askAnew(source)">ask anew</button>
      </span>
    </p>
    <template v-if="ofAll !== null && live.held !== null">
      <p class="soft">
        <span title="Table, charts and values are of rows taken by chance, and the map where too many are in view"
          >Shown: a sample of {{ counted(from.came) }} rows.</span
        >
        <button
          v-if="!isAsking && show.view"
          class="plain link"
          type="button"
          title="Asks for all features in view of the map, in the place of the sample"
          data-test="all-in-view"
          @click="askInView(show.view)"
        >
          show all in view
        </button>
      </p>
      <p class="soft" data-test="sample-line">
        <span class="line" :title="whole.state === 'cannot' ? CANNOT : told">{{ told }}</span>
        <button v-if="canStop" class="plain link" type="button" data-test="stop-counting" @click="whole.stop">stop</button>
        <button v-else-if="canCount" class="plain link" type="button" data-test="count-again" @click="whole.again">count all</button>
      </p>
    </template>
    <p v-if="trouble && !isAsking" class="trouble" role="alert">{{ trouble }}</p>
    <ul v-if="live.conditions.length > 0">
      <li v-for="({ by, text }, i) in live.conditions" :key="i">
        <DecidedMark class="by" :by="by" :kind="kind" />
        <code :title="text">{{ text }}</code>
      </li>
      <li v-if="workspace.activeSieve && ofAll === null">
        <DecidedMark class="by" by="here" :kind="kind" /><span class="soft">all conditions below</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.live {
  margin-top: 2px;
  font-size: 12.5px;
}
p {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  margin: 0;
}
.link {
  flex: none;
}
.line {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.trouble {
  color: var(--copper-text);
}
.ways {
  display: flex;
  gap: 10px;
}
ul {
  list-style: none;
  margin: 3px 0 0;
  padding: 0;
  max-height: 72px;
  overflow-y: auto;
}
li {
  margin-top: 2px;
  display: flex;
  align-items: baseline;
  gap: 7px;
}
code {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.by {
  width: 92px;
}
</style>
