<script setup lang="ts">
import { mdiExportVariant, mdiPencilOutline } from '@mdi/js';
import { ROOT, numberOf } from '@clean-sieve/core';
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { howMany, isSample } from '../sources/state.ts';
import { useFocus } from '../stores/focus.ts';
import { useNearAsks } from '../stores/near_asks.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import SieveMark from '../words/SieveMark.vue';
import AddCondition from './AddCondition.vue';
import StackGroup from './StackGroup.vue';
import { streamPath } from './stream.ts';

const EmptyWhy = defineAsyncComponent(() => import('./EmptyWhy.vue'));
const SmallQuestion = defineAsyncComponent(() => import('./SmallQuestion.vue'));

const emit = defineEmits<{ handOver: [] }>();
const LiveLine = defineAsyncComponent(() => import('./LiveLine.vue'));
const StartHere = defineAsyncComponent(() => import('../shell/StartHere.vue'));
const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();
const near = useNearAsks();

const source = computed(() => workspace.activeSource);
const sieve = computed(() => workspace.activeSieve);
const head = computed(() => sifting.active?.head ?? null);
const kept = computed(() => sifting.kept);
const total = computed(() => (source.value ? howMany(source.value) : ''));
/** What was wrong before says nothing of what is being asked for now. */
const isWaiting = computed(() => near.isAsked && sifting.busy > 0);
const problem = computed(() => (sieve.value ? (sifting.errors.get(sieve.value.id) ?? null) : null));
const asking = ref(false);
const stale = computed(() => (sieve.value ? workspace.staleIn(sieve.value) : []));
const NUMBERS = [
  { value: 'left', title: 'left', told: 'Features left after each condition' },
  { value: 'alone', title: 'alone', told: 'Features of the whole source that each condition keeps by itself' },
  { value: 'without', title: 'without', told: 'Features that would be kept without the condition' },
] as const;
const renaming = ref(false);
const newName = ref('');
const nameField = ref<HTMLInputElement>();

function startRenaming(): void {
  if (!sieve.value) return;
  newName.value = sieve.value.name ?? '';
  renaming.value = true;
  void nextTick(() => nameField.value?.select());
}
function rename(): void {
  if (!renaming.value || !sieve.value) return;
  renaming.value = false;
  const name = newName.value.trim() === '' ? null : newName.value.trim();
  if (name !== sieve.value.name) workspace.renameSieve(sieve.value.id, name);
}

// The stream behind the rows: as wide after each mesh as what is left, by its square root.
const body = ref<HTMLElement>();
const path = ref('');
const size = ref({ width: 1, height: 1 });
let observer: ResizeObserver | null = null;

function drawStream(): void {
  const element = body.value;
  if (!element) return;
  const top = element.getBoundingClientRect().top;
  const width = element.clientWidth;
  const height = element.scrollHeight;
  const total = numberOf(head.value?.total ?? source.value?.rows ?? 0) ?? 0;
  const meshes = [...element.querySelectorAll<HTMLElement>('[data-mesh]')].map((row) => ({
    y: row.getBoundingClientRect().top - top + element.scrollTop,
    share: total === 0 ? 0 : (numberOf(head.value?.rows.find((r) => r.id === row.dataset.mesh)?.left ?? null) ?? NaN) / total,
  }));
  size.value = { width, height };
  path.value = streamPath(
    meshes.filter((mesh) => !Number.isNaN(mesh.share)),
    width,
    height,
  );
}
onMounted(() => {
  observer = new ResizeObserver(drawStream);
  observer.observe(body.value!);
  watch(
    () => [head.value, sieve.value?.tree, focus.editing],
    () => void nextTick(drawStream),
    { immediate: true, deep: false },
  );
});
onBeforeUnmount(() => observer?.disconnect());
</script>

<template>
  <section class="stack" aria-label="Sift stack">
    <header v-if="source">
      <div class="name">
        <SieveMark v-if="sieve" :colour="sieve.colour" :size="16" />
        <input
          v-if="renaming"
          ref="nameField"
          v-model="newName"
          aria-label="Name of the sieve"
          placeholder="Named by its conditions"
          maxlength="200"
          @keydown.enter="rename"
          @keydown.esc="renaming = false"
          @blur="rename"
        />
        <h1 v-else :title="sieve ? workspace.nameOf(sieve) : source.name" @dblclick="startRenaming">
          {{ sieve ? workspace.nameOf(sieve) : source.name }}
        </h1>
        <button v-if="sieve && !renaming" class="plain pencil" type="button" aria-label="Rename the sieve" @click="startRenaming">
          <v-icon :icon="mdiPencilOutline" size="16" />
        </button>
      </div>
      <p v-if="stale.length > 0" class="stale" data-test="stale-name">
        The name mentions {{ stale.join(', ') }}, which the conditions no longer have.
        <button class="plain link" type="button" @click="workspace.renameSieve(sieve!.id, null)">let the conditions name it</button>
      </p>
      <div class="kind">
        <span class="soft">{{ sieve ? `${source.name}, all of these hold` : 'The whole source, nothing sifted out' }}</span>
        <span v-if="sieve && sieve.tree.children.length > 0" class="numbers" role="radiogroup" aria-label="Numbers at the rows">
          <button
            v-for="choice in NUMBERS"
            :key="choice.value"
            class="plain"
            type="button"
            role="radio"
            :aria-checked="focus.numbers === choice.value"
            :class="{ on: focus.numbers === choice.value }"
            @click="focus.numbers = choice.value"
          >
            {{ choice.title }}
            <v-tooltip activator="parent" location="bottom" :text="choice.told" />
          </button>
        </span>
      </div>
      <LiveLine v-if="source.fetchedFrom?.live" :source="source" />
    </header>
    <div ref="body" class="body">
      <svg v-if="source" class="stream" :width="size.width" :height="size.height" aria-hidden="true">
        <defs>
          <linearGradient id="stream" x1="0" y1="0" x2="0" y2="1">
            <stop offset="0" stop-color="var(--stream-top)" />
            <stop offset="0.55" stop-color="var(--stream-mid)" />
            <stop offset="1" stop-color="var(--stream-foot)" />
          </linearGradient>
        </defs>
        <path :d="path" fill="url(#stream)" />
      </svg>
      <template v-if="source">
        <div class="start">
          <div>
            <span class="soft">Start with</span>
            <b>every feature{{ source.fetchedFrom?.live?.conditions.length ? ' asked for' : '' }}</b>
          </div>
          <b class="count">{{ total }}</b>
        </div>
        <StackGroup v-if="sieve" :group="sieve.tree" root />
        <p v-if="problem && !isWaiting" class="trouble" role="alert" data-test="sift-problem">
          Cannot be sifted: {{ problem }}
          <button v-if="near.isAsked" class="plain link" type="button" data-test="near-again" @click="near.again">ask again</button>
        </p>
        <EmptyWhy v-if="sieve && kept === 0 && !isSample(source)" />
        <AddCondition :parent="ROOT" />
      </template>
      <StartHere v-else-if="workspace.ownSources.length === 0" />
      <p v-else class="empty soft">Nothing is open. Bring in a layer, or choose one on the left.</p>
    </div>
    <SmallQuestion v-if="source && asking" @close="asking = false" />
    <footer v-if="source">
      <div>
        <div class="big" data-test="kept" :aria-busy="sifting.busy > 0">{{ kept === null ? (problem ? '?' : '…') : counted(kept) }}</div>
        <div class="soft">kept of {{ total }}</div>
        <div v-if="head?.unknown" class="soft small">{{ plural(head.unknown, 'blank', 'blank') }} left out</div>
        <button v-if="!asking" class="plain link small" type="button" data-test="ask" @click="asking = true">ask about a column</button>
      </div>
      <v-btn color="primary" :prepend-icon="mdiExportVariant" :disabled="kept === null" data-test="hand-over" @click="emit('handOver')"
        >Hand over</v-btn
      >
    </footer>
  </section>
</template>

<style scoped>
.trouble {
  position: relative;
  margin: 8px 16px;
  padding-left: 9px;
  border-left: 3px solid var(--copper);
  color: var(--copper-text);
}
.stack {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--surface);
  border-right: 1px solid var(--line);
}
header {
  flex: none;
  padding: 11px 16px 10px;
  border-bottom: 1px solid var(--line);
}
.name {
  display: flex;
  align-items: center;
  gap: 7px;
  min-height: 25px;
}
h1 {
  margin: 0;
  font-size: 18px;
  line-height: 1.25;
  font-weight: 650;
  overflow: hidden;
  text-overflow: ellipsis;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
}
.name input {
  flex: 1;
  min-width: 0;
  font: inherit;
  font-size: 16px;
  padding: 1px 6px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--paper);
  color: var(--ink);
}
.pencil {
  color: var(--soft);
  opacity: 0;
}
header:hover .pencil,
.pencil:focus-visible {
  opacity: 1;
}
.stale {
  margin: 2px 0 3px;
  padding-left: 9px;
  border-left: 3px solid var(--copper);
  font-size: 12.5px;
  color: var(--copper-text);
}
.kind {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 8px;
  margin-top: 1px;
}
.numbers {
  display: flex;
  gap: 9px;
  font-size: 12.5px;
  color: var(--soft);
}
.numbers .on {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 1.5px 0 var(--copper);
}
.body {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  overflow-x: hidden;
}
.stream {
  position: absolute;
  top: 0;
  left: 0;
  pointer-events: none;
}
.start {
  position: relative;
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 10px 16px 12px;
}
.start span {
  display: block;
  font-size: 13px;
}
.count {
  font-size: 16px;
}
.empty {
  padding: 24px 16px;
}
@media (max-width: 940px), (max-height: 480px) {
  .stack {
    border-bottom: 1px solid var(--line);
  }
  .body {
    flex: none;
  }
}
footer {
  flex: none;
  display: flex;
  justify-content: space-between;
  align-items: center;
  padding: 9px 16px 10px;
  background: var(--tint);
  border-top: 1px solid var(--line);
}
.big {
  font-size: 27px;
  line-height: 1.1;
  font-weight: 700;
  color: var(--spruce);
}
.small {
  font-size: 12.5px;
}
</style>
