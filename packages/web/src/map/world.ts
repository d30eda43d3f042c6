import GeoJSON from 'ol/format/GeoJSON.js';
import VectorLayer from 'ol/layer/Vector.js';
import VectorSource from 'ol/source/Vector.js';
import { Fill, Stroke, Style } from 'ol/style.js';
import { feature } from 'topojson-client';
import type { Topology } from 'topojson-specification';

/** Land of the whole world (Natural Earth 1:50m, public domain), which ships with the interface. */
export function worldLayer(colours: () => { land: string; coast: string }): VectorLayer {
  const source = new VectorSource();
  const layer = new VectorLayer({
    source,
    zIndex: 0,
    style: () => {
      const { land, coast } = colours();
      return new Style({ fill: new Fill({ color: land }), stroke: new Stroke({ color: coast, width: 0.8 }) });
    },
  });
  void import('world-atlas/land-50m.json').then((module) => {
    const topology = module.default as unknown as Topology;
    const land = feature(topology, topology.objects.land);
    source.addFeatures(new GeoJSON({ featureProjection: 'EPSG:3857' }).readFeatures(land));
  });
  return layer;
}
