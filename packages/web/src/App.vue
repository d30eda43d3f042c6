<script setup lang="ts">
import { defineAsyncComponent, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import DropVeil from './import/DropVeil.vue';
import { keepFocus } from './shell/kept_focus.ts';
import SkipLinks from './shell/SkipLinks.vue';
import TopBar from './shell/TopBar.vue';
import { useHelp } from './stores/help.ts';
import { useServices } from './stores/services.ts';
import { useNotices } from './stores/notices.ts';
import { useWorkspace } from './stores/workspace.ts';

const ImportDialog = defineAsyncComponent(() => import('./import/ImportDialog.vue'));
const ServiceDialog = defineAsyncComponent(() => import('./import/ServiceDialog.vue'));
const FindAnything = defineAsyncComponent(() => import('./find/FindAnything.vue'));
const HelpPanel = defineAsyncComponent(() => import('./help/HelpPanel.vue'));
const TwoWindows = defineAsyncComponent(() => import('./shell/TwoWindows.vue'));

const workspace = useWorkspace();
const notices = useNotices();
/** A notice that goes says what it said until it is gone. */
const told = shallowRef(notices.current);
watch(
  () => notices.current,
  (now) => (told.value = now ?? told.value),
);
const help = useHelp();
const services = useServices();
const failed = ref('');

async function load(): Promise<void> {
  failed.value = '';
  try {
    await workspace.load();
  } catch (error) {
    failed.value = (error as Error).message;
  }
}
/** Another window may have changed things while this one was away. */
const returned = () => void (document.visibilityState === 'visible' && workspace.loaded && workspace.refresh());
let freeFocus: (() => void) | null = null;
onMounted(() => {
  freeFocus = keepFocus(document);
  document.addEventListener('visibilitychange', returned);
  return load();
});
onBeforeUnmount(() => {
  freeFocus?.();
  document.removeEventListener('visibilitychange', returned);
});
</script>

<template>
  <v-app>
    <div class="shell">
      <SkipLinks v-if="workspace.loaded" />
      <TopBar />
      <RouterView v-if="workspace.loaded" />
      <div v-else-if="failed" class="state" role="alert">
        <p>{{ failed }}</p>
        <v-btn color="primary" @click="load">Try again</v-btn>
      </div>
      <div v-else class="state soft">Opening the workspace …</div>
    </div>
    <DropVeil v-if="workspace.loaded" />
    <ImportDialog v-if="workspace.loaded" />
    <ServiceDialog v-if="services.open" />
    <TwoWindows v-if="workspace.loaded" />
    <FindAnything v-if="help.finding" />
    <HelpPanel v-if="help.open" />
    <v-snackbar
      :key="notices.number"
      :model-value="notices.current !== null"
      :timeout="told?.offer ? -1 : told?.kind === 'error' ? 9000 : 4500"
      :color="told?.kind === 'error' ? 'error' : undefined"
      location="bottom"
      @update:model-value="notices.current = null"
    >
      <span data-test="notice">{{ told?.text }}</span>
      <template #actions>
        <v-btn
          v-if="told?.offer"
          variant="text"
          data-test="notice-offer"
          @click="told.offer.take().then(() => (notices.current = null), notices.complain)"
          >{{ told.offer.label }}</v-btn
        >
        <v-btn variant="text" @click="notices.current = null">Close</v-btn>
      </template>
    </v-snackbar>
  </v-app>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-rows: 44px minmax(0, 1fr);
  height: 100vh;
}
/* Where there is little room, as when all is zoomed to twice its size, the parts stand below one another. */
@media (max-width: 940px), (max-height: 480px) {
  .shell {
    grid-template-rows: auto minmax(0, 1fr);
  }
}
.state {
  display: grid;
  place-content: center;
  justify-items: center;
  gap: 12px;
}
</style>
