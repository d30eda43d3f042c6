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
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { boxOnPlane } from '../planes.ts';
import type { MapColours } from './map_colours.ts';

/** Marks on the feature that is asked about and on the one pointed at in the table; the first is brought into view on request. */
export function useMarks(map: ShallowRef<OlMap | null>, colours: Readonly<Ref<MapColours>>): VectorLayer {
  const workspace = useWorkspace();
  const focus = useFocus();
  const notices = useNotices();
  const show = useMapShow();
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
    () => [focus.at, focus.hovered, workspace.activeSource?.id, show.plane] as const,
    async ([asked, hovered, sourceId]) => {
      const wanted = [
        ...(hovered !== null && sourceId !== undefined ? [{ sourceId, key: hovered, asked: false }] : []),
        ...(asked ? [{ ...asked, asked: true }] : []),
      ];
      const found = await marking((signal) =>
        Promise.all(wanted.map(async (one) => ({ ...one, box: (await api.boxes(one.sourceId, [one.key], signal))[0] }))),
      ).catch(notices.complain);
      if (!found) return;
      marks.clear();
      for (const { box, asked: isAsked } of found) {
        if (!box) continue;
        const [w, s, e, n] = boxOnPlane(box, show.plane);
        const ring = [
          [w, s],
          [e, s],
          [e, n],
          [w, n],
          [w, s],
        ];
        const mark = new Feature(w === e && s === n ? new Point([w, s]) : new Polygon([ring]));
        mark.set('asked', isAsked);
        marks.addFeature(mark);
      }
    },
  );

  const wishing = latest();
  watch(
    () => focus.wish,
    async (wish) => {
      if (!wish) return;
      const found = await wishing((signal) => api.boxes(wish.sourceId, [wish.key], signal)).catch(notices.complain);
      if (!found?.[0] || !map.value) return;
      const [w, s, e, n] = boxOnPlane(found[0], show.plane);
      const view = map.value.getView();
      if (wish.closely) return view.fit([w, s, e, n], { padding: [90, 60, 90, 60], maxZoom: 18, duration: 250 });
      const [west, south, east, north] = view.calculateExtent();
      if (w < west || s < south || e > east || n > north) view.animate({ center: [(w + e) / 2, (s + n) / 2], duration: 200 });
    },
  );
  return new VectorLayer({ source: marks, zIndex: 4, style });
}
