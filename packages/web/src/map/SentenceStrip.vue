<script setup lang="ts">
import { exprOfTree, sentenceOf, type Piece } from '@clean-sieve/core';
import { computed } from 'vue';
import { useFocus } from '../stores/focus.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import CopyButton from '../clipboard/CopyButton.vue';
import SieveMark from '../words/SieveMark.vue';
import { howMany } from '../sources/state.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();

/** The sentence in pieces: values strong, joining words plain. */
const pieces = computed<Piece[]>(() => {
  const source = workspace.activeSource;
  if (!source) return [];
  const narrows = exprOfTree(sifting.shownTree) !== null;
  const name = narrows ? source.name : `${howMany(source)} ${source.name.toLowerCase()}`;
  const sentence = sentenceOf(name, sifting.shownTree, workspace.wording(source));
  return focus.nearMissesOf === null ? sentence : [{ text: 'Left out by one condition only · ', strong: true }, ...sentence];
});

const plain = computed(() => pieces.value.map((piece) => piece.text).join(''));
</script>

<template>
  <div class="strip" :title="plain" data-test="sentence">
    <template v-if="workspace.activeSource">
      <SieveMark v-if="workspace.activeSieve" :colour="workspace.activeSieve.colour" />
      <span class="text"
        ><template v-for="(piece, i) in pieces" :key="i"
          ><b v-if="piece.strong">{{ piece.text }}</b
          ><template v-else>{{ piece.text }}</template></template
        ></span
      >
      <CopyButton :text="plain" label="Copy the sentence" />
      <button v-if="focus.nearMissesOf !== null" class="plain link back" type="button" @click="focus.nearMissesOf = null">
        Back to what is kept
      </button>
    </template>
    <span v-else class="text soft">Bring in a layer to begin</span>
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 9px;
  min-height: 34px;
  max-height: 68px;
  overflow-y: auto;
  flex: none;
  padding: 6px 14px;
  background: var(--sunk);
  border-bottom: 1px solid var(--line);
}
.text {
  flex: 1;
  line-height: 1.4;
  overflow-wrap: anywhere;
}
.back {
  white-space: nowrap;
}
</style>
