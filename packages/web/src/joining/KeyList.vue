<script setup lang="ts">
/** Some keys, one after another, none broken within. */
defineProps<{ keys: readonly string[] }>();
</script>

<template>
  <span class="keys"
    ><template v-for="(key, i) in keys" :key="i"
      ><span class="mono">{{ key }}</span
      >{{ i + 1 < keys.length ? ', ' : '' }}</template
    ></span
  >
</template>

<style scoped>
.mono {
  font-size: 12.5px;
  white-space: nowrap;
}
</style>
