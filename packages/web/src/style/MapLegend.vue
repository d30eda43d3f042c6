<script setup lang="ts">
import { mdiEyeOffOutline, mdiEyeOutline, mdiFilterPlusOutline, mdiPaletteOutline, mdiTargetVariant } from '@mdi/js';
import { BLANK, REST } from '@clean-sieve/core';
import { computed, ref } from 'vue';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useMapColours } from '../map/layers/map_colours.ts';
import { deepOf } from '../map/passes.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useStyles } from '../stores/styles.ts';
import SampleNote from '../sources/SampleNote.vue';
import { isSample } from '../sources/state.ts';
import { useWholeMap } from '../stores/whole_map.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';
import { cellText, headingOf } from '../words/cells.ts';
import { colourOf } from '../words/palette.ts';
import MarkPicture from '../words/MarkPicture.vue';
import { conditionsOfClass } from './class_conditions.ts';
import { useClasses } from './use_classes.ts';

/** The key to the colours of the map, true to what is drawn, with how many features of each class are kept. */
const workspace = useWorkspace();
const styles = useStyles();
const editing = useTreeEditing();
const { active, runOf, sizesOf } = useClasses();
const run = computed(() => styles.target && runOf(styles.target));
const sizes = computed(() => styles.target && sizesOf(styles.target));
const hasKey = computed(() => active.value.length > 0 || run.value !== null);
const folded = ref(false);
const show = useMapShow();
const wholeMap = useWholeMap();
const colours = useMapColours();
const sampled = computed(() => workspace.activeSource !== null && isSample(workspace.activeSource) && wholeMap.ofAll === null);
/** The colours of few and of many points on one spot. */
const depth = computed(() => {
  const { dark, faint, rim } = colours.value;
  const sieve = workspace.activeSieve;
  return deepOf(sieve ? colourOf(sieve.colour, dark) : faint, dark, rim);
});

const title = computed(() => {
  const name = styles.style.classing?.column;
  const column = workspace.activeSource?.columns.find((one) => one.name === name);
  return column ? headingOf(column) : '';
});
/** The class that alone is drawn; null where there are more. */
const solo = computed(() => {
  const shown = active.value.filter(({ hidden }) => !hidden);
  return shown.length === 1 && active.value.length > 1 ? shown[0].number : null;
});

function toggle(number: number): void {
  const { hidden } = styles.style;
  void styles.change({ ...styles.style, hidden: hidden.includes(number) ? hidden.filter((one) => one !== number) : [...hidden, number] });
}
function soloed(number: number): void {
  const others = active.value.map((one) => one.number).filter((one) => one !== number);
  // Those that there are none of just now as well.
  const all = [...new Set([...others, REST, BLANK])].filter((one) => one !== number);
  void styles.change({ ...styles.style, hidden: solo.value === number ? [] : all });
}
function keepOnly(number: number): void {
  const column = workspace.activeSource?.columns.find(({ name }) => name === styles.style.classing?.column);
  if (!column || !styles.style.classing) return;
  editing.narrowBy(conditionsOfClass(styles.style.classing, column, number), 'keep a class');
}
</script>

<template>
  <section v-if="styles.target" class="legend" :class="{ aside: styles.open }" aria-label="Legend" data-test="legend">
    <header>
      <button v-if="hasKey" class="plain title" type="button" :aria-expanded="!folded" @click="folded = !folded">
        {{ title }}
      </button>
      <button
        class="plain style"
        type="button"
        :aria-label="hasKey ? 'Change how it is drawn' : undefined"
        data-test="style"
        :aria-pressed="styles.open"
        @click="styles.open = !styles.open"
      >
        <v-icon :icon="mdiPaletteOutline" size="16" />
        <span v-if="!hasKey">Colour by a column</span>
        <v-tooltip v-else activator="parent" location="left" text="Change how it is drawn" />
      </button>
      <SampleNote v-if="hasKey" />
    </header>
    <p v-if="!hasKey && show.deepest > 1" class="deep" data-test="depth">
      <span class="run" :style="{ background: `linear-gradient(to right, ${depth[0]}, ${depth[1]})` }" aria-hidden="true" />
      <span>1 to {{ counted(show.deepest) }} {{ sampled ? 'of the sample ' : '' }}on one spot</span>
    </p>
    <div v-if="run && !folded" class="of-run" data-test="run">
      <span class="run" :style="{ background: `linear-gradient(to right, ${run.colours.join()})` }" aria-hidden="true" />
      <span class="ends"
        ><span>{{ run.low }}</span
        ><span>{{ run.high }}</span></span
      >
    </div>
    <div v-if="sizes && sizes.marks.length > 0 && !folded" class="sizes" data-test="sizes">
      <span class="soft">{{ headingOf(sizes.column) }}</span>
      <span v-for="{ value, size } in sizes.marks" :key="value" class="sized">
        <svg v-if="sizes.lines" width="26" :height="Math.max(1, size)" aria-hidden="true">
          <rect width="26" :height="size" />
        </svg>
        <svg v-else :width="2 * size + 2" :height="2 * size + 2" aria-hidden="true">
          <circle :cx="size + 1" :cy="size + 1" :r="size" />
        </svg>
        {{ cellText(value) }}
      </span>
    </div>
    <ul v-if="active.length > 0 && !folded">
      <li v-for="one in active" :key="one.number" :class="{ hidden: one.hidden }" data-test="class">
        <button class="plain name" type="button" :aria-pressed="!one.hidden" @click="toggle(one.number)">
          <MarkPicture :mark="one.mark" :off="one.hidden" />
          <span class="label">{{ one.label }}</span>
          <span class="count">{{ one.kept === null ? '…' : counted(one.kept) }}</span>
          <span class="unseen">: {{ one.hidden ? 'show' : 'hide' }} it on the map</span>
        </button>
        <span class="acts">
          <button v-if="!run" class="plain" type="button" :aria-label="`Show only ${one.label}`" @click="soloed(one.number)">
            <v-icon :icon="mdiTargetVariant" size="15" />
            <v-tooltip activator="parent" location="top" :text="solo === one.number ? 'Show all again' : 'Show only this'" />
          </button>
          <button class="plain" type="button" :aria-label="`${one.hidden ? 'Show' : 'Hide'} ${one.label}`" @click="toggle(one.number)">
            <v-icon :icon="one.hidden ? mdiEyeOffOutline : mdiEyeOutline" size="15" />
          </button>
          <button class="plain" type="button" :aria-label="`Keep only ${one.label}`" data-test="keep-class" @click="keepOnly(one.number)">
            <v-icon :icon="mdiFilterPlusOutline" size="15" />
            <v-tooltip activator="parent" location="top" text="Keep only these: a condition" />
          </button>
        </span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.legend {
  position: absolute;
  right: 12px;
  bottom: 34px;
  max-width: 270px;
  max-height: calc(100% - 110px);
  display: flex;
  flex-direction: column;
  border-radius: 14px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
  font-size: 13px;
}
/* The panel stands where it was. */
.legend.aside {
  right: auto;
  left: 62px;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 10px;
  padding: 6px 10px;
}
.title {
  font-weight: 600;
  text-align: left;
}
.style {
  display: flex;
  align-items: center;
  gap: 6px;
}
ul {
  min-width: 212px;
  list-style: none;
  margin: 0;
  padding: 0 4px 6px;
  overflow: auto;
}
li {
  position: relative;
  display: flex;
  align-items: center;
  border-radius: 8px;
}
.name {
  flex: 1;
  min-width: 0;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 2px 6px;
  text-align: left;
}
.label {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.count {
  font-variant-numeric: tabular-nums;
  color: var(--soft);
}
li.hidden .label {
  color: var(--soft);
  text-decoration: line-through;
}
.acts {
  position: absolute;
  right: 2px;
  display: none;
  gap: 2px;
  padding: 0 4px;
  border-radius: 8px;
  background: var(--surface);
}
.acts button {
  padding: 2px;
  line-height: 0;
}
li:hover .acts,
li:focus-within .acts {
  display: flex;
}
.deep {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0;
  padding: 0 12px 8px;
}
.of-run {
  padding: 0 12px 8px;
}
.of-run .run {
  display: block;
  width: 100%;
}
.ends {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.sizes {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 4px 10px;
  padding: 0 12px 8px;
}
.sizes .soft {
  flex-basis: 100%;
}
.sized {
  display: flex;
  align-items: center;
  gap: 4px;
}
.sized rect {
  fill: currentColor;
}
.sized circle {
  fill: currentColor;
  fill-opacity: 0.35;
  stroke: currentColor;
}
.run {
  width: 70px;
  height: 10px;
  border-radius: 3px;
}
</style>
