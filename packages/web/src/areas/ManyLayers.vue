<script setup lang="ts">
import { areaRef, call, emptyTree, GEOMETRY_NAME, property } from '@clean-sieve/core';
import type { AreaInfo } from '@clean-sieve/server/api';
import { ref, watch } from 'vue';
import { newId } from '../stack/tree_editing.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted } from '../words/numbers.ts';

/** One area for several sources at once: a sieve each, which then has conditions of its own. */
const props = defineProps<{ area: AreaInfo | null }>();
const open = defineModel<boolean>({ required: true });
const workspace = useWorkspace();
const chosen = ref<number[]>([]);
watch(
  open,
  (now) => {
    if (now) chosen.value = workspace.ownSources.map(({ id }) => id);
  },
  { immediate: true },
);

async function use(): Promise<void> {
  const { area } = props;
  open.value = false;
  if (!area) return;
  let first: number | null = null;
  for (const { id, name } of workspace.ownSources) {
    if (!chosen.value.includes(id)) continue;
    const expr = call('s_intersects', property(GEOMETRY_NAME), areaRef(area.name));
    const tree = { ...emptyTree(), children: [{ kind: 'condition' as const, id: newId(), expr }] };
    const made = await workspace.addSieve(id, tree, `${name} · ${area.name}`);
    first ??= made?.id ?? null;
  }
  if (first !== null) workspace.openSieve(first);
}
</script>

<template>
  <v-dialog v-model="open" width="440">
    <v-card v-if="area" class="dialog" data-test="many-layers">
      <h3>{{ area.name }} on several sources</h3>
      <p class="soft">Each gets a sieve that keeps what meets the area. Add more conditions to any of them.</p>
      <div class="choices">
        <v-checkbox
          v-for="source in workspace.ownSources"
          :key="source.id"
          v-model="chosen"
          :value="source.id"
          :label="`${source.name} · ${counted(source.rows)}`"
        />
      </div>
      <div class="buttons">
        <v-btn variant="text" @click="open = false">Cancel</v-btn>
        <v-btn color="primary" :disabled="chosen.length === 0" data-test="use-on-many" @click="use"
          >Make {{ chosen.length }} {{ chosen.length === 1 ? 'sieve' : 'sieves' }}</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
/* However many sources there are, the buttons stay in sight. */
.choices {
  max-height: 50vh;
  overflow-y: auto;
}
</style>
