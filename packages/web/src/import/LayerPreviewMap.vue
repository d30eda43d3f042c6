<script setup lang="ts">
import type { Geometry } from 'geojson';
import GeoJSON from 'ol/format/GeoJSON.js';
import Feature from 'ol/Feature.js';
import VectorLayer from 'ol/layer/Vector.js';
import { extend } from 'ol/extent.js';
import { fromExtent } from 'ol/geom/Polygon.js';
import OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { transformExtent } from 'ol/proj.js';
import { Circle, Fill, Stroke, Style } from 'ol/style.js';
import View from 'ol/View.js';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { worldLayer } from '../map/world.ts';

type Extent = [west: number, south: number, east: number, north: number];
const props = defineProps<{
  shapes: unknown[];
  extent: Extent | null;
  /** Where something else lies that the shapes are to be seen beside. */
  beside?: Extent | null;
}>();
const target = ref<HTMLElement>();
const source = new VectorSource();
let map: OlMap | null = null;

const style = new Style({
  fill: new Fill({ color: 'rgba(184, 90, 38, 0.25)' }),
  stroke: new Stroke({ color: '#b85a26', width: 1.2 }),
  image: new Circle({ radius: 3, fill: new Fill({ color: '#b85a26' }) }),
});

/** The outline of what the shapes are seen beside. */
const faint = new Style({ stroke: new Stroke({ color: '#2c5b4b', width: 1.2, lineDash: [5, 4] }) });
const clamped = ([west, south, east, north]: Extent) =>
  transformExtent([west, Math.max(-85, south), east, Math.min(85, north)], 'EPSG:4326', 'EPSG:3857');

function show(): void {
  source.clear();
  const format = new GeoJSON({ featureProjection: 'EPSG:3857' });
  source.addFeatures(props.shapes.map((shape) => new Feature(format.readGeometry(shape as Geometry) ?? undefined)));
  const view = map?.getView();
  const beside = props.beside ? clamped(props.beside) : null;
  if (beside) {
    const outline = new Feature(fromExtent(beside));
    outline.setStyle(faint);
    source.addFeature(outline);
  }
  if (!props.extent || !view) return;
  const extent = clamped(props.extent);
  if (beside) extend(extent, beside);
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
watch(() => [props.shapes, props.extent, props.beside], show);
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
