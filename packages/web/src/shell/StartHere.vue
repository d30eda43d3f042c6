<script setup lang="ts">
import { mdiFileUploadOutline, mdiHomeGroup, mdiEarth } from '@mdi/js';
import { ref } from 'vue';
import { api } from '../api/client.ts';
import { useHelp } from '../stores/help.ts';
import { useImports } from '../stores/imports.ts';
import { useNotices } from '../stores/notices.ts';
import { useServices } from '../stores/services.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { EXAMPLES } from './examples.ts';

/** What can be done with an empty workspace. */
const importing = useImports();
const services = useServices();
const notices = useNotices();
const workspace = useWorkspace();
const help = useHelp();
const busy = ref('');

async function during(what: string, action: () => Promise<void>): Promise<void> {
  busy.value = what;
  try {
    await action();
  } catch (error) {
    notices.complain(error);
  }
  busy.value = '';
}
const demo = () =>
  during('demo', async () => {
    await api.makeDemo();
    await workspace.load();
    if (workspace.sieves[0]) workspace.openSieve(workspace.sieves[0].id);
  });
const example = ({ name, file }: (typeof EXAMPLES)[number]) => during(name, async () => importing.take([await file()]));
</script>

<template>
  <div class="start" data-test="start-here">
    <h1>Begin with data of your own</h1>
    <p class="soft">
      Drop files anywhere in the window: GeoPackage, GeoJSON, shapefile, CSV, FlatGeobuf, GeoParquet, KML, GPX, or a zip of them. They are
      looked at before anything is taken in, and stay as they are.
    </p>
    <div class="ways">
      <v-btn color="primary" :prepend-icon="mdiFileUploadOutline" @click="importing.wanted++">Choose files</v-btn>
      <v-btn variant="text" @click="services.open = true">From an address</v-btn>
    </div>
    <h2>Or try it out</h2>
    <button type="button" class="plain offer" :disabled="busy !== ''" data-test="make-demo" @click="demo">
      <v-icon :icon="mdiHomeGroup" size="22" />
      <span
        ><b>The demo town</b><br /><span class="soft">{{
          busy === 'demo'
            ? 'Making it; this takes a few seconds …'
            : 'trees, paths and wards of an invented harbour town, with ready sieves'
        }}</span></span
      >
    </button>
    <button
      v-for="one in EXAMPLES"
      :key="one.name"
      type="button"
      class="plain offer"
      :disabled="busy !== ''"
      data-test="example"
      @click="example(one)"
    >
      <v-icon :icon="mdiEarth" size="22" />
      <span
        ><b>{{ one.name }}</b
        ><br /><span class="soft">{{ busy === one.name ? 'Getting it ready …' : one.text }}</span></span
      >
    </button>
    <p class="soft foot">
      Sieves keep what matters of a source and leave it as it is.
      <button type="button" class="plain link" @click="help.show()">Help and keys</button>
    </p>
  </div>
</template>

<style scoped>
.start {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 8px;
  padding: 22px 18px;
}
h1 {
  margin: 0;
  font-size: 18px;
}
h2 {
  margin: 18px 0 0;
  font-size: 15px;
}
p {
  margin: 0 0 6px;
}
.ways {
  display: flex;
  gap: 8px;
}
.offer {
  display: flex;
  align-items: center;
  gap: 12px;
  width: 100%;
  padding: 8px 12px !important;
  border: 1px solid var(--line) !important;
  border-radius: 10px;
  text-align: left;
}
.offer:hover:enabled {
  background: var(--tint);
}
.offer .v-icon {
  flex: none;
  color: var(--spruce);
}
.foot {
  margin-top: 14px;
}
</style>
