<script setup lang="ts">
/** The frame of everything that makes columns of a source: what is chosen scrolls, what is done with it stands below. */
const emit = defineEmits<{ submit: [] }>();
</script>

<template>
  <form class="panel" @submit.prevent="emit('submit')">
    <div class="body"><slot /></div>
    <div class="foot"><slot name="foot" /></div>
  </form>
</template>

<style scoped>
.panel {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.body {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 10px;
  /* Room for the names on the edges of the fields, and for the ring of the focus. */
  padding: 8px 4px 4px;
}
.body > :slotted(*) {
  flex: none;
}
.panel :slotted(p) {
  margin: 0;
}
.panel :slotted(.trouble) {
  color: var(--copper-text);
}
/* Rows of what would be made. */
.panel :slotted(table) {
  border-collapse: collapse;
  width: 100%;
  font-size: 13.5px;
}
.panel :slotted(th),
.panel :slotted(td) {
  max-width: 220px;
  padding: 2px 12px 2px 0;
  overflow: hidden;
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
  border-bottom: 1px solid var(--line);
}
.panel :slotted(.made) {
  font-weight: 650;
}
.panel :slotted(.blank) {
  color: var(--soft);
  font-style: italic;
  font-weight: 400;
}
.foot {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 12px 4px 0;
  border-top: 1px solid var(--line);
}
.foot > :slotted(.soft) {
  flex: 1;
}
</style>
