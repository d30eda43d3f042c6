<script setup lang="ts">
import { computed } from 'vue';
import { plural } from '../words/numbers.ts';
import type { Hovered } from './tools/use_hover.ts';

const props = defineProps<{ hovered: Hovered }>();
/** On the side where there is room. */
const place = computed(() => {
  const { at, beyond } = props.hovered;
  return {
    ...(at[0] <= beyond[0] ? { left: `${at[0] + 14}px` } : { right: `${beyond[0] + 14}px` }),
    ...(at[1] <= beyond[1] ? { top: `${at[1] + 14}px` } : { bottom: `${beyond[1] + 14}px` }),
  };
});
</script>

<template>
  <div class="note" data-test="hover" :style="place" aria-hidden="true">
    <b>{{ hovered.title }}</b> <span v-if="hovered.of" class="soft">{{ hovered.of }}</span>
    <span v-if="hovered.sifted" class="soft">sifted out</span>
    <dl>
      <template v-for="{ label, value } in hovered.lines" :key="label">
        <dt>{{ label }}</dt>
        <dd>{{ value }}</dd>
      </template>
    </dl>
    <span v-if="hovered.more > 0" class="soft">and {{ plural(hovered.more, 'more', 'more') }} here: click for each</span>
  </div>
</template>

<style scoped>
.note {
  position: absolute;
  z-index: 3;
  max-width: 260px;
  padding: 6px 10px;
  border-radius: 10px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
  font-size: 12.5px;
  pointer-events: none;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 10px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
