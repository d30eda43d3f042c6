<script setup lang="ts">
import { mdiDotsHorizontal, mdiVectorPolygon } from '@mdi/js';
import { areaRef, call, GEOMETRY_NAME, isBuffer, property, reachOf, type Expr } from '@clean-sieve/core';
import type { AreaInfo } from '@clean-sieve/server/api';
import { defineAsyncComponent, nextTick, ref } from 'vue';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { api } from '../api/client.ts';
import { measured } from '../words/numbers.ts';
import { sizeInWords } from './size.ts';

const AreaSheet = defineAsyncComponent(() => import('./AreaSheet.vue'));
const ManyLayers = defineAsyncComponent(() => import('./ManyLayers.vue'));

const workspace = useWorkspace();
const show = useMapShow();
const notices = useNotices();
const editing = useTreeEditing();
const adding = ref(false);
const many = ref<AreaInfo | null>(null);
const choosing = ref(false);
const renaming = ref<number | null>(null);
const newName = ref('');
const field = ref<HTMLInputElement[]>([]);

function useIt(area: AreaInfo): void {
  void editing.addCondition(call('s_intersects', property(GEOMETRY_NAME), areaRef(area.name)));
}

function startRenaming(area: AreaInfo): void {
  renaming.value = area.id;
  newName.value = area.name;
  void nextTick(() => field.value[0]?.select());
}

async function rename(area: AreaInfo): Promise<void> {
  if (renaming.value !== area.id) return;
  renaming.value = null;
  const wanted = newName.value.trim();
  if (wanted === '' || wanted === area.name) return;
  try {
    await workspace.changeArea(area, { name: wanted });
  } catch (error) {
    notices.complain(error);
  }
}

/** The round shape as a polygon beside it, for what needs corners. */
async function polygon({ name, shape }: AreaInfo): Promise<void> {
  if (!('op' in shape)) return;
  try {
    const { geometry, error } = await api.buffered(shape.args[0], reachOf(shape));
    const area = await workspace.addArea(workspace.freeAreaName(`${name} as a polygon`), geometry);
    notices.say(`${area.name}: its edge is at most ${measured(error)} m from the true one.`);
  } catch (error) {
    notices.complain(error);
  }
}

async function remove(area: AreaInfo): Promise<void> {
  try {
    await workspace.removeArea(area);
  } catch (error) {
    notices.complain(error);
  }
}
</script>

<template>
  <section aria-label="Areas" data-test="areas">
    <div class="head soft">Areas</div>
    <div v-for="area in workspace.areas" :key="area.id" class="area">
      <v-icon :icon="mdiVectorPolygon" size="16" class="mark" />
      <input
        v-if="renaming === area.id"
        ref="field"
        v-model="newName"
        aria-label="Name of the area"
        maxlength="200"
        @keydown.enter="rename(area)"
        @keydown.esc="renaming = null"
        @blur="rename(area)"
      />
      <button
        v-else
        class="plain name"
        type="button"
        :title="`Show ${area.name} (${sizeInWords(area.shape)}) on the map`"
        @click="show.look(area.shape)"
      >
        {{ area.name }}<span class="size soft" aria-hidden="true">{{ sizeInWords(area.shape) }}</span>
      </button>
      <v-menu>
        <template #activator="{ props: menu }">
          <button class="plain more" type="button" :aria-label="`More for ${area.name}`" v-bind="menu">
            <v-icon :icon="mdiDotsHorizontal" size="18" />
          </button>
        </template>
        <v-list density="compact">
          <v-list-item title="Keep what meets it" :disabled="!workspace.activeSource" @click="useIt(area)" />
          <v-list-item
            title="Keep what meets it in several sources …"
            :disabled="workspace.ownSources.length === 0"
            @click="
              many = area;
              choosing = true;
            "
          />
          <v-list-item v-if="isBuffer(area.shape as Expr)" title="Make a polygon of it" @click="polygon(area)" />
          <v-list-item title="Rename …" @click="startRenaming(area)" />
          <v-list-item title="Remove" @click="remove(area)" />
        </v-list>
      </v-menu>
    </div>
    <button class="plain new" type="button" data-test="new-area" @click="adding = true">+ New area</button>
    <AreaSheet v-model="adding" />
    <ManyLayers v-model="choosing" :area="many" />
  </section>
</template>

<style scoped>
section {
  padding: 6px 0 12px;
}
.head {
  padding: 8px 14px 6px;
  font-weight: 600;
}
.area {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 4px 14px 4px 20px;
}
.area:hover {
  background: var(--surface);
}
.mark {
  color: var(--violet);
  flex: none;
}
.name {
  flex: 1;
  min-width: 0;
  text-align: left;
  overflow-wrap: anywhere;
}
.area input {
  flex: 1;
  min-width: 0;
}
.more {
  opacity: 0;
}
.area:hover .more,
.more:focus-visible {
  opacity: 1;
}
.size {
  display: block;
  font-size: 12px;
}
.new {
  padding: 6px 14px;
  font-weight: 600;
  color: var(--spruce);
}
</style>
