<script setup lang="ts">
import type { Geometry } from 'geojson';
import GeoJSON from 'ol/format/GeoJSON.js';
import Feature from 'ol/Feature.js';
import VectorLayer from 'ol/layer/Vector.js';
import OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { transformExtent } from 'ol/proj.js';
import { Circle, Fill, Stroke, Style } from 'ol/style.js';
import View from 'ol/View.js';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { worldLayer } from '../map/world.ts';

const props = defineProps<{ shapes: unknown[]; extent: [number, number, number, number] | null }>();
const target = ref<HTMLElement>();
const source = new VectorSource();
let map: OlMap | null = null;

const style = new Style({
  fill: new Fill({ color: 'rgba(184, 90, 38, 0.25)' }),
  stroke: new Stroke({ color: '#b85a26', width: 1.2 }),
  image: new Circle({ radius: 3, fill: new Fill({ color: '#b85a26' }) }),
});

function show(): void {
  source.clear();
  const format = new GeoJSON({ featureProjection: 'EPSG:3857' });
  source.addFeatures(props.shapes.map((shape) => new Feature(format.readGeometry(shape as Geometry) ?? undefined)));
  const view = map?.getView();
  if (!props.extent || !view) return;
  const [west, south, east, north] = props.extent;
  const extent = transformExtent([west, Math.max(-85, south), east, Math.min(85, north)], 'EPSG:4326', 'EPSG:3857');
  view.fit(extent, { padding: [14, 14, 14, 14], maxZoom: 15 });
}
onMounted(() => {
  map = new OlMap({
    target: target.value,
    controls: [],
    layers: [worldLayer(() => ({ land: '#f2ecdc', coast: '#b9a888' })), new VectorLayer({ source, style, zIndex: 1 })],
    view: new View({ center: [0, 2_000_000], zoom: 0 }),
  });
  show();
});
onBeforeUnmount(() => map?.setTarget(undefined));
watch(() => [props.shapes, props.extent], show);
</script>

<template><div ref="target" class="preview" role="img" aria-label="Where the layer lies" /></template>

<style scoped>
.preview {
  height: 100%;
  border: 1px solid var(--line);
  border-radius: 10px;
  overflow: hidden;
  background: #dfe8e6;
}
</style>
