import type { PlaneName } from '@clean-sieve/core';
import Graticule from 'ol/layer/Graticule.js';
import type BaseLayer from 'ol/layer/Base.js';
import { Fill, Stroke, Text } from 'ol/style.js';
import { watch, type Ref } from 'vue';
import { useMapShow, type Ground } from '../../stores/map_show.ts';
import { waterLayer } from '../waters.ts';
import { borderLayer, nameLayer, worldLayer } from '../world.ts';
import type { MapColours } from './map_colours.ts';

/** What lies below the features: land, and on request waters, borders, names and lines of longitude and latitude. */
export function useGround(colours: Readonly<Ref<MapColours>>): BaseLayer[] {
  const show = useMapShow();
  const drawn = groundLayers(
    () => colours.value,
    show.ground,
    () => show.plane,
    true,
  );
  let graticule = graticuleLayer(colours.value);
  const layers = [...Object.values(drawn), graticule];
  watch(
    show.ground,
    (ground) => {
      for (const part of ['waters', 'borders', 'names'] as const) drawn[part].setVisible(ground[part]);
      graticule.setVisible(ground.graticule);
    },
    { immediate: true },
  );
  watch(
    () => show.plane,
    () => {
      for (const layer of Object.values(drawn)) layer.getSource()?.refresh();
    },
  );
  watch(colours, (now) => {
    for (const layer of Object.values(drawn)) layer.changed();
    // Its colours are set once.
    const next = graticuleLayer(now);
    next.setVisible(show.ground.graticule);
    const collection = graticule.getMapInternal()?.getLayers();
    collection?.setAt(collection.getArray().indexOf(graticule), next);
    graticule = next;
  });
  return layers;
}

/**
 * Land, and what of the rest is wanted.
 * @param isKept drawn once for a view and kept as pictures
 */
export function groundLayers(
  colours: () => Omit<MapColours, 'dark' | 'space' | 'faint' | 'rim' | 'violet' | 'context'>,
  ground: Ground,
  plane: () => PlaneName,
  isKept: boolean,
) {
  const layers = {
    world: worldLayer(colours, plane, isKept),
    waters: waterLayer(colours, plane, isKept),
    borders: borderLayer(colours, plane, isKept),
    names: nameLayer(() => ({ name: colours().name, halo: colours().land }), plane, isKept),
  };
  for (const part of ['waters', 'borders', 'names'] as const) layers[part].setVisible(ground[part]);
  return layers;
}

function graticuleLayer({ context, name, land }: MapColours): Graticule {
  const label = () =>
    new Text({
      font: "12px 'Source Sans 3 Variable', sans-serif",
      fill: new Fill({ color: name }),
      stroke: new Stroke({ color: land, width: 3 }),
    });
  return new Graticule({
    zIndex: 0,
    strokeStyle: new Stroke({ color: context, width: 0.7 }),
    showLabels: true,
    lonLabelStyle: label(),
    latLabelStyle: label(),
    wrapX: false,
  });
}
