<script setup lang="ts">
import { mdiDrag, mdiTrashCanOutline } from '@mdi/js';
import type { Combine, Group, TreeNode } from '@clean-sieve/core';
import { computed } from 'vue';
import { VueDraggable } from 'vue-draggable-plus';
import { useFocus } from '../stores/focus.ts';
import { useSifting } from '../stores/sifting.ts';
import { counted } from '../words/numbers.ts';
import { sideNumber } from './side_number.ts';
import AddCondition from './AddCondition.vue';
import StackRow from './StackRow.vue';
import { useTreeEditing } from './tree_editing.ts';

const props = defineProps<{ group: Group; root?: boolean; off?: boolean }>();
const sifting = useSifting();
const focus = useFocus();
const editing = useTreeEditing();

const COMBINES: { value: Combine; title: string }[] = [
  { value: 'all', title: 'all of' },
  { value: 'any', title: 'any of' },
  { value: 'none', title: 'none of' },
];

const children = computed({
  get: () => props.group.children,
  set: (next: TreeNode[]) => editing.setChildren(props.group.id, next),
});
const side = computed(() => {
  const head = sifting.active?.head;
  return head ? sideNumber(head, props.group.id, focus.numbers) : null;
});
const silent = computed(() => props.off === true || props.group.off === true);
</script>

<template>
  <div class="group" :class="{ root, silent }" :data-mesh="root || silent ? undefined : group.id">
    <div
      v-if="!root"
      class="head"
      tabindex="0"
      :aria-label="`Group: ${group.combine} of`"
      @keydown.delete.self="editing.remove(group.id)"
      @keydown.alt.up.prevent="editing.shift(group.id, -1)"
      @keydown.alt.down.prevent="editing.shift(group.id, 1)"
    >
      <v-icon class="drag" :icon="mdiDrag" size="16" />
      <v-menu>
        <template #activator="{ props: menu }">
          <button class="plain combine" type="button" v-bind="menu">
            {{ COMBINES.find((c) => c.value === group.combine)!.title }}
          </button>
        </template>
        <v-list density="compact">
          <v-list-item
            v-for="option in COMBINES"
            :key="option.value"
            :title="option.title"
            @click="editing.setCombine(group.id, option.value)"
          />
        </v-list>
      </v-menu>
      <span v-if="side && !silent" class="left">
        <b>{{ counted(side.count) }}</b>
        <span class="less">{{ side.note }}</span>
      </span>
      <span v-else-if="group.children.length === 0" class="left soft">empty</span>
      <span class="actions">
        <label class="switch" :title="group.off ? 'Switch on' : 'Switch off'"
          ><input
            type="checkbox"
            :checked="!group.off"
            :aria-label="group.off ? 'Switch the group on' : 'Switch the group off'"
            @change="editing.toggle(group.id)"
        /></label>
        <button class="plain" type="button" aria-label="Remove the group" @click="editing.remove(group.id)">
          <v-icon :icon="mdiTrashCanOutline" size="17" />
        </button>
      </span>
    </div>
    <VueDraggable v-model="children" class="members" handle=".drag" group="stack" :animation="120">
      <template v-for="child in group.children" :key="child.id">
        <StackGroup v-if="child.kind === 'group'" :group="child" :off="silent" />
        <StackRow v-else :condition="child" :off="silent" :nested="!root" />
      </template>
    </VueDraggable>
    <AddCondition v-if="!root" :parent="group.id" small />
  </div>
</template>

<style scoped>
.group {
  position: relative;
}
.group:not(.root) {
  padding: 8px 16px 6px;
}
.group:not(.root):not(.silent)::before {
  content: '';
  position: absolute;
  left: 0;
  right: 0;
  top: -1px;
  border-top: 2px dashed var(--spruce-2);
}
.group:not(.root) > .members,
.group:not(.root) > .head,
.group:not(.root) > :deep(.add) {
  border-left: 3px solid var(--spruce-2);
}
.group:not(.root) .group {
  padding: 4px 0 4px 10px;
}
.group:not(.root) .group::before {
  display: none;
}
.head {
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 2px 0 2px 8px;
}
.combine {
  font-size: 13px;
  font-weight: 600;
  color: var(--spruce);
  border-bottom: 1px dotted var(--spruce) !important;
}
.left {
  margin-left: auto;
  text-align: right;
}
.left b {
  font-size: 16px;
}
.less {
  display: block;
  font-size: 12.5px;
  color: var(--soft);
}
.drag {
  cursor: grab;
  color: var(--soft);
  opacity: 0;
  margin-left: -4px;
  width: 14px;
}
.head:hover .drag {
  opacity: 1;
}
.actions {
  display: none;
  align-items: center;
  gap: 6px;
  color: var(--soft);
}
.head:hover .actions,
.head:focus-within .actions {
  display: flex;
}
.members {
  min-height: 4px;
}
.silent {
  color: var(--soft);
}
</style>
