<script setup lang="ts">
/** A round button on the map. `on` where it stays pressed; undefined where it only does something. */
withDefaults(defineProps<{ icon: string; label: string; side: 'bottom' | 'right'; on?: boolean; disabled?: boolean }>(), { on: undefined });
</script>

<template>
  <button type="button" :class="{ on }" :aria-pressed="on" :aria-label="label" :disabled="disabled">
    <v-icon :icon="icon" size="19" />
    <v-tooltip activator="parent" :location="side" :text="label" />
  </button>
</template>

<style scoped>
button {
  display: grid;
  place-items: center;
  width: 32px;
  height: 32px;
  border: 0;
  border-radius: 16px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
button:hover {
  background: var(--sunk);
}
button.on {
  background: var(--tint);
}
button:disabled {
  opacity: 0.4;
  cursor: default;
}
</style>
