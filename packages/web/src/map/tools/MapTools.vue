<script setup lang="ts">
import {
  mdiCircleOutline,
  mdiCursorDefaultOutline,
  mdiGrid,
  mdiLasso,
  mdiRectangleOutline,
  mdiVectorPolygon,
  mdiVectorPolyline,
} from '@mdi/js';
import { useMapShow, type MapTool } from '../../stores/map_show.ts';
import { useWorkspace } from '../../stores/workspace.ts';

const workspace = useWorkspace();
const show = useMapShow();

const TOOLS: { tool: MapTool; icon: string; label: string }[] = [
  { tool: 'pick', icon: mdiCursorDefaultOutline, label: 'Ask a feature' },
  { tool: 'polygon', icon: mdiVectorPolygon, label: 'Draw a polygon' },
  { tool: 'lasso', icon: mdiLasso, label: 'Draw round it' },
  { tool: 'circle', icon: mdiCircleOutline, label: 'Draw a circle' },
  { tool: 'rectangle', icon: mdiRectangleOutline, label: 'Draw a rectangle' },
  { tool: 'line', icon: mdiVectorPolyline, label: 'Draw a line with a width' },
  { tool: 'cells', icon: mdiGrid, label: 'Grid: pick its cells' },
];
</script>

<template>
  <div class="tools" role="toolbar" aria-label="Map tools">
    <button
      v-for="{ tool, icon, label } in TOOLS"
      :key="tool"
      type="button"
      :class="{ on: show.tool === tool }"
      :aria-pressed="show.tool === tool"
      :aria-label="label"
      :disabled="tool !== 'pick' && tool !== 'cells' && !workspace.activeSource"
      @click="show.useTool(tool)"
    >
      <v-icon :icon="icon" size="20" />
      <v-tooltip activator="parent" location="bottom" :text="label" />
    </button>
  </div>
</template>

<style scoped>
.tools {
  position: absolute;
  top: 12px;
  left: 12px;
  display: flex;
  gap: 2px;
  padding: 3px;
  border-radius: 22px;
  background: var(--surface);
  border: 1px solid var(--line);
  box-shadow: var(--shadow);
}
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
