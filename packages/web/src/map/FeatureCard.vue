<script setup lang="ts">
import {
  mdiCircleOutline,
  mdiCircleSlice8,
  mdiClose,
  mdiContentCopy,
  mdiFilterPlusOutline,
  mdiMagnifyPlusOutline,
  mdiVectorSquarePlus,
} from '@mdi/js';
import { conditionInWords, dayInWords, emptyTree, findNode, formOfExpr } from '@clean-sieve/core';
import { computed } from 'vue';
import { exprOfValue } from '../stack/first_expr.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useFocus } from '../stores/focus.ts';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { usePicks } from '../stores/picks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { cellText, headingOf, labelOf, namingColumn, titleOf } from '../words/cells.ts';
import { measured, plural } from '../words/numbers.ts';
import LyingList from './LyingList.vue';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const editing = useTreeEditing();
const notices = useNotices();
const picks = usePicks();

/** The feature as it stands in the source, in longitude and latitude. */
async function copy(as: 'geojson' | 'wkt'): Promise<void> {
  try {
    const feature = await api.feature(focus.card!.sourceId, focus.card!.key);
    await navigator.clipboard.writeText(feature[as]);
    notices.say(as === 'wkt' ? 'The shape is on the clipboard as WKT.' : 'The feature is on the clipboard as GeoJSON.');
  } catch (error) {
    notices.complain(error);
  }
}

const source = computed(() => workspace.sources.find(({ id }) => id === focus.card?.sourceId) ?? null);
/** Of the source that is worked on; of another there is only what the feature holds. */
const isActive = computed(() => source.value?.id === workspace.activeSource?.id);
const title = computed(() => {
  const { card } = focus;
  if (!card || !source.value) return '';
  const column = namingColumn(source.value);
  return titleOf(column, column ? card.cells[source.value.columns.indexOf(column)] : null, card.key);
});

const SIGNS = { pass: '✓', fail: '✕', unknown: '?' } as const;
const OUTCOMES = { pass: 'passes', fail: 'fails', unknown: 'unknown' } as const;

const reasons = computed(() => {
  const card = focus.card;
  if (!card || !source.value || !isActive.value) return [];
  const wording = workspace.wording(source.value);
  return card.reasons.flatMap((reason) => {
    const found = findNode(sifting.shownTree, reason.id);
    if (!found) return [];
    if (found.node.kind === 'group') return [{ ...reason, test: `${found.node.combine} of`, group: true, shown: '', by: '' }];
    const { subject, rest } = conditionInWords(found.node.expr, wording);
    const value =
      reason.outcome === 'unknown' || reason.value === null
        ? 'blank'
        : typeof reason.value === 'string' && /^\d{4}(-\d\d){1,2}$/.test(reason.value)
          ? dayInWords(reason.value)
          : cellText(reason.value);
    const column = 'column' in formOfExpr(found.node.expr, source.value!.columns);
    return [{ ...reason, test: `${subject} ${rest}`.trim(), group: false, shown: column ? value : '', by: byHowMuch(reason) }];
  });
});

function byHowMuch({ margin, unit, outcome }: { margin: number | null; unit: string | null; outcome: string }): string {
  if (margin === null) return '';
  const size = Math.abs(margin);
  const amount = unit === 'days' ? plural(Math.round(size), 'day') : unit === 'm' ? `${measured(size)} m` : measured(size);
  if (margin === 0) return 'just on the bound';
  return outcome === 'pass' ? `${amount} to spare` : `${amount} short`;
}
</script>

<template>
  <aside v-if="focus.card && source" class="card" data-test="card" aria-label="Feature">
    <header>
      <b>{{ title }}</b>
      <span v-if="isActive && workspace.activeSieve" class="state" :class="{ kept: focus.card.kept }">{{
        focus.card.kept ? 'kept' : 'sifted out'
      }}</span>
      <button
        v-if="isActive"
        class="plain close pick"
        type="button"
        :aria-pressed="picks.keys.has(focus.card.key)"
        :aria-label="picks.keys.has(focus.card.key) ? 'Unpick the feature' : 'Pick the feature'"
        data-test="card-pick"
        @click="picks.toggle(focus.card.key)"
      >
        <v-icon :icon="picks.keys.has(focus.card.key) ? mdiCircleSlice8 : mdiCircleOutline" size="17" />
        <v-tooltip
          activator="parent"
          location="bottom"
          :text="picks.keys.has(focus.card.key) ? 'Unpick it' : 'Pick it (Ctrl or Shift and click on the map)'"
        />
      </button>
      <button v-if="focus.card.box" class="plain close" type="button" aria-label="Zoom to it" data-test="card-zoom" @click="focus.zoomTo()">
        <v-icon :icon="mdiMagnifyPlusOutline" size="17" />
        <v-tooltip activator="parent" location="bottom" text="Zoom to it" />
      </button>
      <v-menu v-if="focus.card.box">
        <template #activator="{ props: menu }">
          <button class="plain close" type="button" aria-label="An area of its shape" data-test="card-area" v-bind="menu">
            <v-icon :icon="mdiVectorSquarePlus" size="17" />
          </button>
        </template>
        <v-list density="compact">
          <v-list-item
            title="Make an area of it"
            @click="workspace.areaOfFeatures(source.id, { tree: emptyTree(), among: [focus.card.key] }, title)"
          />
          <v-list-item
            v-for="area in workspace.areas.filter(({ shape }) => 'type' in shape)"
            :key="area.id"
            :title="`Add it to ${area.name}`"
            @click="workspace.addToArea(area, source.id, focus.card.key)"
          />
        </v-list>
      </v-menu>
      <v-menu>
        <template #activator="{ props: menu }">
          <button class="plain close" type="button" aria-label="Copy the feature" data-test="card-copy" v-bind="menu">
            <v-icon :icon="mdiContentCopy" size="16" />
          </button>
        </template>
        <v-list density="compact">
          <v-list-item title="Copy as GeoJSON" @click="copy('geojson')" />
          <v-list-item v-if="focus.card.box" title="Copy its shape as WKT" @click="copy('wkt')" />
        </v-list>
      </v-menu>
      <button class="plain close" type="button" aria-label="Close the card" @click="focus.show(null)">
        <v-icon :icon="mdiClose" size="17" />
      </button>
    </header>
    <p v-if="!isActive" class="of">
      of {{ source.name }}
      <button class="plain link" type="button" data-test="card-go" @click="workspace.openSource(source.id)">Work on it</button>
    </p>
    <LyingList />
    <ul v-if="reasons.length > 0" class="reasons">
      <li
        v-for="reason in reasons"
        :key="reason.id"
        :class="[reason.outcome, { group: reason.group }]"
        :style="{ marginLeft: `${reason.level * 14}px` }"
      >
        <span class="sign" :aria-label="OUTCOMES[reason.outcome]">{{ SIGNS[reason.outcome] }}</span>
        <span class="test">{{ reason.test }}</span>
        <span class="by">{{ reason.shown }}<template v-if="reason.shown && reason.by"> · </template>{{ reason.by }}</span>
      </li>
    </ul>
    <dl>
      <template v-for="(column, i) in source.columns" :key="column.name">
        <dt :title="column.name">{{ headingOf(column) }}</dt>
        <dd :class="{ blank: focus.card.cells[i] === null || focus.card.cells[i] === '' }">
          {{
            focus.card.cells[i] === null
              ? 'blank'
              : focus.card.cells[i] === ''
                ? 'empty text'
                : workspace.shownOf(column, focus.card.cells[i]!)
          }}
          <button
            v-if="isActive"
            class="plain make"
            type="button"
            :aria-label="`Make a condition of ${labelOf(column)}`"
            @click="editing.addCondition(exprOfValue(column, focus.card.cells[i]))"
          >
            <v-icon :icon="mdiFilterPlusOutline" size="15" />
            <v-tooltip activator="parent" location="left" text="Make a condition of it" />
          </button>
        </dd>
      </template>
    </dl>
  </aside>
</template>

<style scoped>
.card {
  position: absolute;
  top: 12px;
  right: 12px;
  width: 272px;
  max-height: calc(100% - 60px);
  overflow: auto;
  padding: 10px 14px 12px;
  border-radius: 12px;
  border: 1px solid var(--line);
  background: var(--surface);
  box-shadow: var(--shadow);
}
header {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: 15px;
}
.state {
  font-weight: 600;
  color: var(--copper-text);
}
.state.kept {
  color: var(--spruce);
}
.close {
  margin-left: auto;
  color: var(--soft);
}
.pick[aria-pressed='true'] {
  color: var(--violet);
}
.close ~ .close {
  margin-left: 6px;
}
.of {
  margin: 0 0 4px;
  color: var(--soft);
  font-size: 13px;
}
.of .link {
  margin-left: 6px;
}
.reasons {
  list-style: none;
  margin: 6px 0 8px;
  padding: 0 0 8px;
  border-bottom: 1px solid var(--line);
}
.reasons li {
  display: grid;
  grid-template-columns: 16px 1fr;
  column-gap: 4px;
  padding: 2px 0;
}
.sign {
  font-weight: 700;
  color: var(--spruce);
}
.fail .sign {
  color: var(--copper-text);
}
.unknown .sign {
  color: var(--violet);
}
.group .test {
  font-weight: 600;
  color: var(--spruce);
}
.by {
  grid-column: 2;
  color: var(--soft);
  font-size: 13px;
}
.by:empty {
  display: none;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 12px;
  margin: 0;
  font-size: 13px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  text-align: right;
  overflow-wrap: anywhere;
}
dd.blank {
  font-style: italic;
  color: var(--soft);
}
.make {
  visibility: hidden;
  margin-left: 4px !important;
  color: var(--soft);
}
dd:hover .make,
.make:focus-visible {
  visibility: visible;
}
</style>
