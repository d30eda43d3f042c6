import Feature from 'ol/Feature.js';
import GeoJSON from 'ol/format/GeoJSON.js';
import VectorLayer from 'ol/layer/Vector.js';
import VectorSource from 'ol/source/Vector.js';
import { Fill, Stroke, Style } from 'ol/style.js';
import { feature } from 'topojson-client';
import type { Topology } from 'topojson-specification';
import { cutAtMeridian } from './cut_at_meridian.ts';

/** Land of the whole world (Natural Earth 1:50m, public domain), which ships with the interface. */
export function worldLayer(colours: () => { land: string; coast: string }): VectorLayer {
  const source = new VectorSource();
  const layer = new VectorLayer({
    source,
    zIndex: 0,
    style: (shape) => {
      const { land, coast } = colours();
      return shape.getGeometry()?.getType() === 'MultiPolygon'
        ? new Style({ fill: new Fill({ color: land }) })
        : new Style({ stroke: new Stroke({ color: coast, width: 0.8 }) });
    },
  });
  void import('world-atlas/land-50m.json').then((module) => {
    const topology = module.default as unknown as Topology;
    const { fill, coast } = cutAtMeridian(feature(topology, topology.objects.land));
    const format = new GeoJSON({ featureProjection: 'EPSG:3857' });
    source.addFeatures([fill, coast].map((shape) => new Feature(format.readGeometry(shape) ?? undefined)));
  });
  return layer;
}
