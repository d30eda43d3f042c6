import { planeNamed, type PlaneName } from '@clean-sieve/core';
import type OlMap from 'ol/Map.js';
import View from 'ol/View.js';
import { watch, type ShallowRef } from 'vue';
import { useMapShow } from '../stores/map_show.ts';
import type { Box } from './on_map.ts';
import { choosePlane } from './plane_choice.ts';
import { boxOnPlane, planeOf, projectionOf } from './planes.ts';

/** Half of the width and height of the world on its plane, in metres. */
const HALF_WORLD = [planeNamed('world').forward(180, 0)[0], planeNamed('world').forward(0, 90)[1]];
const FARTHEST = { maxResolution: 60_000, minResolution: 0.02 };

/** How large what lies at a latitude is drawn, by that on the ground. */
const scaleAt = (plane: PlaneName, lat: number): number => (plane === 'mercator' ? 1 / Math.max(0.02, Math.cos((lat * Math.PI) / 180)) : 1);

/** A view of a plane. */
export const viewOf = (plane: PlaneName, center: number[], resolution: number): View =>
  new View({
    ...{ projection: projectionOf(plane), center, resolution, enableRotation: false },
    ...(plane === 'mercator' ? { maxZoom: 22 } : FARTHEST),
  });

/**
 * What the map is drawn on: where web Mercator would mislead, another plane, chosen by what is in view.
 * @param flat whether something is drawn or moved by hand just now, which is done on web Mercator
 */
export function usePlane(map: ShallowRef<OlMap | null>, flat: () => boolean) {
  const show = useMapShow();
  const wantedFor = (view: Box) => (show.ground.fair && !flat() ? choosePlane(view, show.plane) : 'mercator');

  /** What is in view, in longitude and latitude. */
  function seen(): Box | null {
    const view = map.value?.getView();
    return view ? planeNamed(show.plane).around(view.calculateExtent(map.value!.getSize()) as Box) : null;
  }

  function put(plane: PlaneName): void {
    const view = map.value?.getView();
    if (!view || planeOf(view.getProjection()) === plane) return;
    const center = view.getCenter() ?? [0, 0];
    // The middle may lie beside the earth.
    const [west, south, east, north] = seen()!;
    const [lon, lat] = planeNamed(show.plane).inverse(center[0], center[1]) ?? [(west + east) / 2, (south + north) / 2];
    const resolution = ((view.getResolution() ?? 1) * scaleAt(plane, lat)) / scaleAt(show.plane, lat);
    show.plane = plane;
    const middle = planeNamed(plane).forward(lon, lat);
    map.value!.setView(viewOf(plane, plane === 'world' ? onTheEarth(middle, resolution) : middle, resolution));
  }

  /** No more lies beside the earth than has to. */
  function onTheEarth(middle: number[], resolution: number): number[] {
    const size = map.value!.getSize() ?? [0, 0];
    return middle.map((at, axis) => {
      const most = Math.max(0, HALF_WORLD[axis] - (size[axis] / 2) * resolution);
      return Math.max(-most, Math.min(most, at));
    });
  }

  /** Goes over to the plane that what is in view wants. */
  function choose(): void {
    const view = seen();
    if (view) put(wantedFor(view));
  }

  /** Brings a box of longitudes and latitudes into view. */
  function fit(box: Box, duration: number): void {
    const view = map.value?.getView();
    if (!view) return;
    put(wantedFor(box));
    map.value!.getView().fit(boxOnPlane(box, show.plane), { padding: [56, 40, 44, 40], maxZoom: 19, duration });
  }

  watch([flat, () => show.ground.fair], choose);
  return { seen, choose, fit };
}
