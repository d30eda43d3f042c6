<script setup lang="ts">
import { goTo } from './parts.ts';

/** The first stops of a keyboard: straight to a part of the surface. */
const STOPS = [
  ['Conditions', 'conditions'],
  ['Map', 'map'],
  ['Table and charts', 'dock'],
] as const;
</script>

<template>
  <nav class="skip" aria-label="Skip to">
    <button v-for="[name, part] in STOPS" :key="name" type="button" @click="goTo(part)">Skip to: {{ name }}</button>
  </nav>
</template>

<style scoped>
.skip {
  position: fixed;
  top: 5px;
  left: 8px;
  z-index: 3000;
}
button {
  position: absolute;
  left: 0;
  padding: 6px 14px;
  border: 1px solid var(--line);
  border-radius: 16px;
  background: var(--surface);
  color: var(--ink);
  font: inherit;
  white-space: nowrap;
  opacity: 0;
  pointer-events: none;
}
button:focus {
  opacity: 1;
  pointer-events: auto;
}
</style>
