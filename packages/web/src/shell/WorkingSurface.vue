<script setup lang="ts">
import { defineAsyncComponent, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Dock from '../dock/Dock.vue';
import SourceList from '../sources/SourceList.vue';
import SiftStack from '../stack/SiftStack.vue';
import { useExports } from '../stores/exports.ts';
import { useLiveFigures } from '../stores/live_figures.ts';
import { useWorkspace } from '../stores/workspace.ts';

const ExportDialog = defineAsyncComponent(() => import('../export/ExportDialog.vue'));
const MapView = defineAsyncComponent(() => import('../map/MapView.vue'));

const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();
const exporting = useExports();
useLiveFigures();

/** The address says what is open; an address of something that is gone opens the first sieve there is. */
function openFromRoute(): void {
  const sieve = workspace.sieves.find((candidate) => String(candidate.id) === route.params.sieve);
  const source = workspace.ownSources.find((candidate) => String(candidate.id) === route.params.source);
  if (sieve) workspace.openSieve(sieve.id);
  else if (source) workspace.openSource(source.id);
  else if (workspace.sieves[0]) workspace.openSieve(workspace.sieves[0].id);
  else if (workspace.ownSources[0]) workspace.openSource(workspace.ownSources[0].id);
}
watch(() => route.fullPath, openFromRoute, { immediate: true });
watch(
  () => [workspace.activeSieveId, workspace.activeSource?.id] as const,
  ([sieve, source]) => {
    const path = sieve !== null ? `/sieve/${sieve}` : source !== undefined ? `/source/${source}` : '/';
    if (path !== route.path) void router.replace(path);
  },
);
</script>

<template>
  <main class="surface">
    <SourceList />
    <SiftStack @hand-over="exporting.show()" />
    <div class="sight">
      <MapView />
      <Dock />
    </div>
    <ExportDialog v-model="exporting.open" />
  </main>
</template>

<style scoped>
.surface {
  display: grid;
  grid-template-columns: 218px 348px minmax(0, 1fr);
  min-height: 0;
}
.sight {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  grid-template-rows: minmax(0, 1fr) auto;
  min-width: 0;
  min-height: 0;
}
@media (max-width: 940px), (max-height: 480px) {
  .surface {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: repeat(3, max-content);
    overflow-y: auto;
  }
  .sight {
    grid-template-rows: 380px auto;
  }
}
</style>
