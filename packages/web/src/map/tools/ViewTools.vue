<script setup lang="ts">
import { mdiArrowExpandAll, mdiEarth, mdiEyeOffOutline, mdiEyeOutline, mdiMinus, mdiPlus } from '@mdi/js';
import { computed } from 'vue';
import { useMapShow } from '../../stores/map_show.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import ToolButton from './ToolButton.vue';

const emit = defineEmits<{ fit: []; zoom: [step: number] }>();
const workspace = useWorkspace();
const show = useMapShow();
const GROUNDS = [
  ['waters', 'Rivers and lakes'],
  ['borders', 'Borders of countries'],
  ['names', 'Names of countries and cities'],
  ['graticule', 'Lines of longitude and latitude'],
  ['fair', 'World and poles at equal areas'],
] as const;
/** Own sources that are part of the ground. */
const below = computed(() => workspace.ownSources.filter((source) => source.below));
</script>

<template>
  <div class="view-tools">
    <ToolButton
      :icon="mdiArrowExpandAll"
      label="Show all that is kept"
      side="right"
      :disabled="!workspace.activeSource"
      @click="emit('fit')"
    />
    <ToolButton
      :icon="show.sifted ? mdiEyeOutline : mdiEyeOffOutline"
      :label="show.sifted ? 'Hide what is sifted out' : 'Show what is sifted out'"
      side="right"
      @click="show.sifted = !show.sifted"
    />
    <v-menu location="end" :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <ToolButton v-bind="menu" :icon="mdiEarth" label="What is drawn below" side="right" />
      </template>
      <div class="ground">
        <label v-for="[key, text] in GROUNDS" :key="key"><input v-model="show.ground[key]" type="checkbox" /> {{ text }}</label>
        <label v-for="source in below" :key="source.id"
          ><input type="checkbox" :checked="!show.hidden.has(source.id)" @change="show.toggleSource(source.id)" /> {{ source.name }}</label
        >
        <small class="soft">Natural Earth · GSHHG, LGPL 3 · GeoNames, CC BY 4.0</small>
      </div>
    </v-menu>
    <ToolButton :icon="mdiPlus" label="Zoom in" side="right" @click="emit('zoom', 1)" />
    <ToolButton :icon="mdiMinus" label="Zoom out" side="right" @click="emit('zoom', -1)" />
  </div>
</template>

<style scoped>
.ground {
  display: flex;
  flex-direction: column;
  gap: 4px;
  padding: 10px 14px;
  border-radius: 12px;
  background: var(--surface);
  color: var(--ink);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
.view-tools {
  display: flex;
  flex-direction: column;
}
</style>
