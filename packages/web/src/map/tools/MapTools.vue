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
import ToolButton from './ToolButton.vue';

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
    <ToolButton
      v-for="{ tool, icon, label } in TOOLS"
      :key="tool"
      :icon="icon"
      :label="label"
      side="bottom"
      :on="show.tool === tool"
      :disabled="tool !== 'pick' && tool !== 'cells' && !workspace.activeSource"
      @click="show.useTool(tool)"
    />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 2px;
}
</style>
