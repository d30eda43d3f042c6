import Feature from 'ol/Feature.js';
import { Point, Polygon } from 'ol/geom.js';
import VectorLayer from 'ol/layer/Vector.js';
import type OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { Circle, Fill, Stroke, Style } from 'ol/style.js';
import { watch, type Ref, type ShallowRef } from 'vue';
import { api } from '../../api/client.ts';
import { latest } from '../../api/latest.ts';
import { useFocus } from '../../stores/focus.ts';
import { useNotices } from '../../stores/notices.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { onMap } from '../on_map.ts';
import type { MapColours } from './map_colours.ts';

/** Marks on the feature that is asked about and on the one pointed at in the table; the first is brought into view on request. */
export function useMarks(map: ShallowRef<OlMap | null>, colours: Readonly<Ref<MapColours>>): VectorLayer {
  const workspace = useWorkspace();
  const focus = useFocus();
  const notices = useNotices();
  const marks = new VectorSource();

  const style = (feature: unknown) => {
    const asked = (feature as Feature).get('asked') === true;
    const { violet } = colours.value;
    const stroke = new Stroke({ color: violet, width: asked ? 3 : 2 });
    return new Style({
      image: new Circle({ radius: asked ? 10 : 8, stroke, fill: new Fill({ color: asked ? `${violet}26` : 'transparent' }) }),
      stroke,
      fill: new Fill({ color: `${violet}1c` }),
    });
  };

  const marking = latest();
  watch(
    () => [focus.row, focus.hovered, workspace.activeSource?.id] as const,
    async ([row, hovered, sourceId]) => {
      const rows = [hovered, row].filter((one) => one !== null);
      const found = await marking((signal) =>
        sourceId === undefined || rows.length === 0 ? Promise.resolve([]) : api.boxes(sourceId, rows, signal),
      ).catch(notices.complain);
      if (!found) return;
      marks.clear();
      for (const [i, box] of found.entries()) {
        if (!box) continue;
        const [w, s, e, n] = onMap(box);
        const ring = [
          [w, s],
          [e, s],
          [e, n],
          [w, n],
          [w, s],
        ];
        const mark = new Feature(w === e && s === n ? new Point([w, s]) : new Polygon([ring]));
        mark.set('asked', rows[i] === row);
        marks.addFeature(mark);
      }
    },
  );

  const wishing = latest();
  watch(
    () => focus.wish,
    async (wish) => {
      const source = workspace.activeSource;
      if (!wish || !source) return;
      const found = await wishing((signal) => api.boxes(source.id, [wish.row], signal)).catch(notices.complain);
      if (!found?.[0] || !map.value) return;
      const [w, s, e, n] = onMap(found[0]);
      const view = map.value.getView();
      const [west, south, east, north] = view.calculateExtent();
      if (w < west || s < south || e > east || n > north) view.animate({ center: [(w + e) / 2, (s + n) / 2], duration: 200 });
    },
  );
  return new VectorLayer({ source: marks, zIndex: 4, style });
}
