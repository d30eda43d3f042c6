<script setup lang="ts">
import { LIKENESSES, LIKENESS_IN_WORDS, type Likeness, type MatchReport } from '@clean-sieve/core';
import { mdiClose } from '@mdi/js';
import type { JoinLook } from '@clean-sieve/server/api';
import { cellText } from '../words/cells.ts';
import { counted, plural } from '../words/numbers.ts';
import KeyList from './KeyList.vue';

/** How a source and a table fit together by their keys, and what would bring more of them together. */
const props = defineProps<{ source: string; table: string; report: MatchReport; offers: JoinLook['offers']; like: Likeness }>();
const emit = defineEmits<{ alike: [one: keyof Likeness, on: boolean] }>();

const share = (part: number, whole: number) => `${whole === 0 ? 0 : (100 * part) / whole}%`;
const shown = (examples: MatchReport['own']['examples']) =>
  examples.map(({ key, rows }) => {
    const text = key.map((value) => (value === null ? 'blank' : cellText(value))).join(' · ');
    return rows > 1 ? `${text} (${counted(rows)})` : text;
  });
const more = (several: number) => several - props.report.several.keys;
const used = () => LIKENESSES.filter((one) => props.like[one]);
</script>

<template>
  <div class="report-of-keys">
    <dl data-test="match-report">
      <dt>{{ source }}</dt>
      <dd>
        <span class="bar"><span :style="{ width: share(report.own.matched, report.own.rows) }" /></span>
        <b>{{ counted(report.own.matched) }}</b> of {{ plural(report.own.rows, 'feature') }} find their key<template
          v-if="report.own.without > 0"
          >; <b>{{ counted(report.own.without) }}</b> {{ report.own.without === 1 ? 'does' : 'do' }} not:
          <KeyList :keys="shown(report.own.examples)" /></template
        ><template v-if="report.own.blank > 0"
          >; {{ counted(report.own.blank) }} {{ report.own.blank === 1 ? 'has' : 'have' }} none</template
        >.
      </dd>
      <dt>{{ table }}</dt>
      <dd>
        <span class="bar"><span :style="{ width: share(report.other.used, report.other.rows) }" /></span>
        <b>{{ counted(report.other.used) }}</b> of {{ plural(report.other.rows, 'row') }} have a feature<template
          v-if="report.other.without > 0"
          >; <b>{{ counted(report.other.without) }}</b> {{ report.other.without === 1 ? 'has' : 'have' }} none:
          <KeyList :keys="shown(report.other.examples)" /></template
        ><template v-if="report.other.blank > 0"
          >; {{ counted(report.other.blank) }} {{ report.other.blank === 1 ? 'has' : 'have' }} no key</template
        >.
      </dd>
    </dl>
    <p v-if="report.several.keys > 0" class="told" data-test="join-several">
      <b>{{ plural(report.several.keys, 'key stands', 'keys stand') }} in several rows</b> of {{ table }}:
      <KeyList :keys="shown(report.several.examples)" />.
      {{ report.several.own > 0 ? 'Each column says what becomes of them.' : 'No feature has such a key.' }}
    </p>
    <p v-if="used().length > 0" class="told">
      Keys are compared without regard to
      <template v-for="one in used()" :key="one">
        <button class="plain chip" type="button" @click="emit('alike', one, false)">
          {{ LIKENESS_IN_WORDS[one] }} <v-icon :icon="mdiClose" size="14" />
        </button> </template
      >.
    </p>
    <p v-for="offer in offers" :key="offer.like" class="told">
      <button class="plain link" type="button" :data-test="`alike-${offer.like}`" @click="emit('alike', offer.like, true)">
        Do not look at {{ LIKENESS_IN_WORDS[offer.like] }}</button
      >: {{ plural(offer.matched, 'feature') }} more would find their key<template v-if="more(offer.several) > 0"
        >, and {{ plural(more(offer.several), 'more key', 'more keys') }} would stand in several rows</template
      >.
    </p>
  </div>
</template>

<style scoped>
.report-of-keys {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
p {
  margin: 0;
}
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 6px 14px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
.bar {
  display: block;
  height: 6px;
  margin: 7px 0 3px;
  border-radius: 3px;
  background: var(--sunk);
}
.bar span {
  display: block;
  height: 6px;
  border-radius: 3px;
  background: var(--spruce-2);
}
.told {
  padding-left: 12px;
  border-left: 3px solid var(--copper);
}
.chip {
  padding: 1px 8px !important;
  border-radius: 9px;
  background: var(--tint);
}
</style>
