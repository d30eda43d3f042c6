<script setup lang="ts">
import { defineAsyncComponent, onBeforeUnmount, onMounted, ref } from 'vue';
import DropVeil from './bringin/DropVeil.vue';
import TopBar from './shell/TopBar.vue';
import { useNotices } from './stores/notices.ts';
import { useWorkspace } from './stores/workspace.ts';

const BringIn = defineAsyncComponent(() => import('./bringin/BringIn.vue'));
const TwoWindows = defineAsyncComponent(() => import('./shell/TwoWindows.vue'));

const workspace = useWorkspace();
const notices = useNotices();
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
onMounted(() => {
  document.addEventListener('visibilitychange', returned);
  return load();
});
onBeforeUnmount(() => document.removeEventListener('visibilitychange', returned));
</script>

<template>
  <v-app>
    <div class="shell">
      <TopBar />
      <RouterView v-if="workspace.loaded" />
      <div v-else-if="failed" class="state" role="alert">
        <p>{{ failed }}</p>
        <v-btn color="primary" @click="load">Try again</v-btn>
      </div>
      <div v-else class="state soft">Opening the workspace …</div>
    </div>
    <DropVeil v-if="workspace.loaded" />
    <BringIn v-if="workspace.loaded" />
    <TwoWindows v-if="workspace.loaded" />
    <v-snackbar
      :key="notices.number"
      :model-value="notices.current !== null"
      :timeout="notices.current?.offer ? -1 : notices.current?.kind === 'error' ? 9000 : 4500"
      :color="notices.current?.kind === 'error' ? 'error' : undefined"
      location="bottom"
      @update:model-value="notices.current = null"
    >
      <span data-test="notice">{{ notices.current?.text }}</span>
      <template #actions>
        <v-btn
          v-if="notices.current?.offer"
          variant="text"
          data-test="notice-offer"
          @click="notices.current.offer.take().then(() => (notices.current = null), notices.complain)"
          >{{ notices.current.offer.label }}</v-btn
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
.state {
  display: grid;
  place-content: center;
  justify-items: center;
  gap: 12px;
}
</style>
