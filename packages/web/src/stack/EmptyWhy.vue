<script setup lang="ts">
import {
  activeConditions,
  conditionInWords,
  findNode,
  replaceNode,
  treeInWords,
  type Emptiness,
  type NearestBound,
} from '@clean-sieve/core';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { counted, plural } from '../words/numbers.ts';
import { useTreeEditing } from './tree_editing.ts';

/** Why nothing is kept, and the smallest steps to something. */
const workspace = useWorkspace();
const sifting = useSifting();
const notices = useNotices();
const editing = useTreeEditing();
const why = shallowRef<Emptiness | null>(null);
const looking = ref(true);
let asked = 0;

watch(
  () => sifting.version,
  async () => {
    const turn = ++asked;
    try {
      const { id } = workspace.activeSource!;
      const found = await sifting.besides((signal) => api.emptiness(id, sifting.shownTree, signal));
      if (turn === asked && found !== undefined) why.value = found;
      looking.value = turn !== asked;
    } catch (error) {
      notices.complain(error);
    }
  },
  { immediate: true },
);

const wording = computed(() => workspace.wording(workspace.activeSource!));
function said(id: string): string {
  const node = findNode(sifting.shownTree, id)?.node;
  if (!node) return '';
  const text = treeInWords(node, wording.value);
  return `“${text}”`;
}

const reason = computed(() => {
  const found = why.value;
  if (!found) return '';
  if (found.alone.length > 0) return `No feature of the source passes ${found.alone.map(said).join(', nor ')}.`;
  if (found.pairs.length > 0)
    return `Nothing passes both ${said(found.pairs[0][0])} and ${said(found.pairs[0][1])}${found.pairs.length > 1 ? `, and ${plural(found.pairs.length - 1, 'more pair')} cannot hold together` : ''}.`;
  return activeConditions(sifting.shownTree).length > 1 ? 'Each condition keeps something, and any two do, but all together nothing.' : '';
});

function boundInWords({ expr }: NearestBound): string {
  const { subject, rest } = conditionInWords(expr, wording.value);
  return `${subject} ${rest}`;
}
function take({ id, expr }: NearestBound): void {
  editing.setExpr(id, expr);
}
const without = computed(() => (why.value?.without ?? []).slice(0, 3));
function leaveOut(id: string): void {
  editing.setTree(
    replaceNode(workspace.activeTree, id, (node) => ({ ...node, off: true })),
    'switch off',
  );
}
</script>

<template>
  <section v-if="!why && looking" class="why soft" aria-busy="true"><b>Nothing is kept.</b> Looking for what empties it …</section>
  <section v-else-if="why" class="why" data-test="empty-why" aria-label="Why nothing is kept">
    <b>Nothing is kept</b>
    <p v-if="reason">{{ reason }}</p>
    <ul v-if="why.bounds.length > 0 || without.length > 0">
      <li v-for="bound in why.bounds.slice(0, 4)" :key="`${bound.id}${bound.side}`">
        <button class="plain link" type="button" data-test="nearest-bound" @click="take(bound)">
          {{ boundInWords(bound) }}
        </button>
        <span class="soft">would keep {{ counted(bound.kept) }}</span>
      </li>
      <li v-for="{ id, kept } in without" :key="id">
        <button class="plain link" type="button" @click="leaveOut(id)">switch off {{ said(id) }}</button>
        <span class="soft">would keep {{ counted(kept) }}</span>
      </li>
    </ul>
    <p v-else class="soft">No single change keeps anything; take the conditions off one by one.</p>
  </section>
</template>

<style scoped>
.why {
  position: relative;
  margin: 10px 16px 4px;
  padding: 9px 12px 10px;
  border: 1px solid var(--copper);
  border-radius: 10px;
  background: var(--surface);
}
p {
  margin: 3px 0;
  overflow-wrap: anywhere;
}
ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 2px 0;
}
li .link {
  color: var(--spruce);
  font-weight: 600;
  overflow-wrap: anywhere;
}
li .soft {
  white-space: nowrap;
}
</style>
