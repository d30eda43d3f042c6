<script setup lang="ts">
import { treeInWords, type Group } from '@clean-sieve/core';
import { computed } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';

/** A sieve was changed in two windows: both are shown, and nothing is lost before one is chosen. */
const workspace = useWorkspace();
const source = computed(() => workspace.sources.find(({ id }) => id === workspace.conflict?.theirs.sourceId));

function inWords(tree: Group): string {
  const words = source.value ? treeInWords(tree, workspace.wording(source.value)) : '';
  return words === '' ? 'no conditions: everything is kept' : words;
}
const sides = computed(() => {
  if (!workspace.conflict) return null;
  const { mine, theirs } = workspace.conflict;
  return {
    name: workspace.nameOf(theirs),
    theirs: inWords(theirs.tree),
    mine: inWords(mine.tree ?? theirs.tree),
    renamed: mine.name !== undefined && mine.name !== theirs.name ? (mine.name ?? 'named by its conditions') : null,
  };
});
</script>

<template>
  <v-dialog :model-value="sides !== null" width="600" persistent>
    <v-card v-if="sides" class="dialog" data-test="two-windows" role="alertdialog" aria-labelledby="two-windows-title">
      <h3 id="two-windows-title">{{ sides.name }} was changed in another window too</h3>
      <dl>
        <dt>In the other window, saved</dt>
        <dd data-test="theirs">{{ sides.theirs }}</dd>
        <dt>In this window, not saved yet</dt>
        <dd data-test="mine">
          {{ sides.mine }}<template v-if="sides.renamed">; called {{ sides.renamed }}</template>
        </dd>
      </dl>
      <div class="buttons">
        <v-btn variant="text" data-test="take-theirs" @click="workspace.settleConflict('theirs')"> Take the other one’s </v-btn>
        <v-btn variant="text" data-test="take-mine" @click="workspace.settleConflict('mine')">Keep this one’s</v-btn>
        <v-btn color="primary" data-test="take-both" @click="workspace.settleConflict('both')"> Keep both, in two sieves </v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
dl {
  margin: 0;
  display: grid;
  gap: 4px;
}
dt {
  color: var(--soft);
  font-size: 13px;
}
dd {
  margin: 0 0 8px;
  padding: 8px 10px;
  background: var(--sunk);
  border-radius: 8px;
  max-height: 9em;
  overflow-y: auto;
}
.buttons {
  flex-wrap: wrap;
}
</style>
