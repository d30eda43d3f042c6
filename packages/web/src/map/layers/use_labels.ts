import { planeNamed, type PlaneName } from '@clean-sieve/core';
import Feature from 'ol/Feature.js';
import { Point } from 'ol/geom.js';
import VectorLayer from 'ol/layer/Vector.js';
import VectorSource from 'ol/source/Vector.js';
import { Fill, Stroke, Style, Text } from 'ol/style.js';
import { watch, type Ref } from 'vue';
import { api } from '../../api/client.ts';
import { latest } from '../../api/latest.ts';
import { useFocus } from '../../stores/focus.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useStyles } from '../../stores/styles.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import type { Box } from '../on_map.ts';
import type { MapColours } from './map_colours.ts';

/** The part of the world that a view shows, its west end between −180 and 180: a map goes round and round. */
function withinTheWorld([west, south, east, north]: Box): Box {
  if (east - west >= 360) return [-180, south, 180, north];
  const turns = 360 * Math.floor((west + 180) / 360);
  return [west - turns, south, east - turns, north];
}

/** A label as it is written, with a rim in the colour of the ground; it stands above its place. */
const labelStyle = (text: string, { name, rim }: Pick<MapColours, 'name' | 'rim'>): Style =>
  new Style({
    text: new Text({
      text,
      font: "600 12.5px 'Source Sans 3 Variable', sans-serif",
      offsetY: -13,
      fill: new Fill({ color: name }),
      stroke: new Stroke({ color: rim, width: 3 }),
      padding: [2, 3, 2, 3],
    }),
  });

/** A layer of labels; those that would lie on one another are left out. */
export const labelLayer = (source: VectorSource, colours: () => Pick<MapColours, 'name' | 'rim'>): VectorLayer =>
  new VectorLayer({ source, zIndex: 3, declutter: true, style: (one) => labelStyle(String(one.get('text')), colours()) });

/** Asks what the style writes beside the features that are drawn in a box; nothing where it writes none. */
export function useLabelled() {
  const workspace = useWorkspace();
  const styles = useStyles();
  const focus = useFocus();
  return async (box: Box, plane: PlaneName, signal?: AbortSignal): Promise<{ features: Feature<Point>[]; total: number }> => {
    const source = workspace.activeSource;
    const column = source?.columns.find(({ name }) => name === styles.style.label);
    if (!source || !column) return { features: [], total: 0 };
    const asked = { ...focus.selection(), box: withinTheWorld(box), column: column.name };
    const { labels, total } = await api.labels(source.id, asked, signal);
    const features = labels
      .filter(({ key }) => !styles.isHidden(styles.target, key))
      .map(({ lon, lat, value }) => {
        return new Feature({ geometry: new Point(planeNamed(plane).forward(lon, lat)), text: workspace.shownOf(column, value) });
      });
    return { features, total };
  };
}

/** What the style writes beside the features that are kept and in view. */
export function useLabels(colours: Readonly<Ref<MapColours>>): VectorLayer {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const styles = useStyles();
  const show = useMapShow();
  const focus = useFocus();
  const notices = useNotices();
  const source = new VectorSource();
  const asking = latest();
  const labelled = useLabelled();
  const layer = labelLayer(source, () => colours.value);
  watch(
    () => [styles.style.label, workspace.activeSource?.id, sifting.version, show.view, focus.nearMissesOf, styles.style.hidden] as const,
    async () => {
      const found = await asking((signal) => labelled(show.view, show.plane, signal)).catch(notices.complain);
      if (!found) return;
      show.labelled = [found.features.length, found.total];
      source.clear();
      source.addFeatures(found.features);
    },
    { immediate: true },
  );
  watch(colours, () => layer.changed());
  return layer;
}
