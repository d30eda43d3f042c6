<script setup lang="ts">
import { conditionInWords, exprOfTree, type TreeNode } from '@clean-sieve/core';
import { computed } from 'vue';
import { useFocus } from '../stores/focus.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import SieveMark from '../words/SieveMark.vue';
import { counted } from '../words/numbers.ts';

const workspace = useWorkspace();
const sifting = useSifting();
const focus = useFocus();

interface Piece {
  text: string;
  strong: boolean;
}

/** The sentence in pieces: values strong, joining words plain. */
const pieces = computed<Piece[]>(() => {
  const source = workspace.activeSource;
  if (!source) return [];
  const wording = workspace.wording(source);
  const out: Piece[] = [];
  const say = (text: string, strong = false) => out.push({ text, strong });
  const phrase = (node: TreeNode, nested: boolean): void => {
    if (node.kind === 'condition') {
      const { subject, rest } = conditionInWords(node.expr, wording);
      if (subject !== '')
        say(
          `${subject.toLowerCase() === subject.toUpperCase() ? subject : subject[0].toLowerCase() + subject.slice(1)} `,
        );
      return void say(rest, true);
    }
    const children = node.children.filter((child) => exprOfTree(child) !== null);
    const brackets = nested && (children.length > 1 || node.combine === 'none');
    if (brackets) say('(');
    if (node.combine === 'none') say('none of: ');
    children.forEach((child, i) => {
      if (i > 0)
        say(
          node.combine === 'any' ? ' or ' : node.combine === 'none' ? ', ' : i === children.length - 1 ? ' and ' : ', ',
        );
      phrase(child, true);
    });
    if (brackets) say(')');
  };
  const tree = sifting.shownTree;
  if (exprOfTree(tree) === null) {
    say('All ');
    say(`${counted(source.rows)} ${source.name.toLowerCase()}`, true);
    return out;
  }
  if (focus.nearMissesOf !== null) say('Left out by one condition only · ', true);
  say(`${source.name} with `);
  phrase(tree, false);
  return out;
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
      <button
        v-if="focus.nearMissesOf !== null"
        class="plain link back"
        type="button"
        @click="focus.nearMissesOf = null"
      >
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
