<script setup lang="ts">
import { ref, watch } from 'vue';
import type { CrsAnswer, LayerLook } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { useNotices } from '../stores/notices.ts';

/** Finds a coordinate system in the EPSG list by code, name or area. */
const props = defineProps<{ likely: LayerLook['likely'] }>();
/** `peek`: the system pointed at, for the map to show where the layer would lie. */
const emit = defineEmits<{ pick: [code: number]; peek: [code: number | null] }>();
const notices = useNotices();
/** As many systems as the server lists at most. */
const MOST = 40;
const text = ref('');
const found = ref<CrsAnswer['systems']>([]);
const searched = ref('');
let timer: ReturnType<typeof setTimeout> | undefined;

watch(text, (now) => {
  clearTimeout(timer);
  if (now.trim() === '') {
    found.value = [];
    return;
  }
  timer = setTimeout(() => {
    api.systems(now.trim()).then((systems) => {
      if (text.value === now) [found.value, searched.value] = [systems, now];
    }, notices.complain);
  }, 200);
});
const listed = (): CrsAnswer['systems'] => (text.value.trim() === '' ? props.likely : found.value);
</script>

<template>
  <div class="picker">
    <input
      v-model="text"
      class="entry-field"
      type="search"
      placeholder="Code, name or country"
      aria-label="Find a coordinate system"
      data-test="find-system"
    />
    <p v-if="text.trim() === '' && likely.length > 0" class="soft">
      Systems in which these coordinates would lie where the system is used:
    </p>
    <ul>
      <li v-for="system in listed()" :key="system.code">
        <button
          class="plain"
          type="button"
          @click="emit('pick', system.code)"
          @mouseenter="emit('peek', system.code)"
          @focus="emit('peek', system.code)"
          @mouseleave="emit('peek', null)"
          @blur="emit('peek', null)"
        >
          <b>{{ system.name }}</b> <span class="mono soft">EPSG:{{ system.code }}</span>
          <span class="soft area">{{ system.area }}</span>
        </button>
      </li>
      <li v-if="text.trim() !== '' && searched === text && found.length === 0" class="soft none">
        No system has this in its name, code or area
      </li>
    </ul>
    <p v-if="text.trim() !== '' && found.length >= MOST" class="soft">The first {{ MOST }} are listed; another word narrows them down.</p>
  </div>
</template>

<style scoped>
input {
  width: 100%;
}
p {
  margin: 6px 0 2px;
  font-size: 12.5px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  max-height: 168px;
  overflow-y: auto;
}
button {
  display: block !important;
  padding: 3px 8px !important;
  border-radius: 6px;
}
button:hover {
  background: var(--tint);
}
.area {
  display: block;
  font-size: 12px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.none {
  padding: 4px 8px;
}
</style>
