import { isSpaceForm, placeOf, type Form } from '@clean-sieve/core';
import Collection from 'ol/Collection.js';
import type Feature from 'ol/Feature.js';
import { MultiPoint, Point } from 'ol/geom.js';
import Modify from 'ol/interaction/Modify.js';
import VectorLayer from 'ol/layer/Vector.js';
import type OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import { Circle, Fill, Stroke, Style, Text } from 'ol/style.js';
import { computed, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue';
import { sizeInWords } from '../../areas/size.ts';
import { useFocus } from '../../stores/focus.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { cornersOf, isRound, movedGeometry, placedConditions, shapeOfForm } from '../area_tools.ts';
import { usePutShape } from '../tools/put_shape.ts';
import { useCornerKeys, type ChosenCorner, type Movable } from '../tools/use_corner_keys.ts';
import { onOtherPlane } from '../planes.ts';
import type { MapColours } from './map_colours.ts';

type Placed = ReturnType<typeof placedConditions>;

/** The shapes that the active sieve's conditions are about; the corners of the one being edited can be moved. */
export function useConditionShapes(
  map: ShallowRef<OlMap | null>,
  colours: Readonly<Ref<MapColours>>,
): { layer: VectorLayer; style: (feature: unknown) => Style[]; placed: ComputedRef<Placed>; corner: Ref<ChosenCorner | null> } {
  const workspace = useWorkspace();
  const focus = useFocus();
  const putShape = usePutShape();
  const show = useMapShow();
  const shapes = new VectorSource<Feature>();
  let modify: Modify | null = null;
  const movable = shallowRef<Movable | null>(null);
  const corner = useCornerKeys(map, movable);

  function style(feature: unknown): Style[] {
    const shown = feature as Feature;
    const edited = shown.get('condition') === focus.editing;
    const off = shown.get('off') === true;
    const { violet, rim } = colours.value;
    const area = new Style({
      fill: new Fill({ color: `${violet}${off ? '08' : '1c'}` }),
      stroke: new Stroke({ color: `${violet}${off ? '70' : 'ff'}`, width: edited ? 2.4 : 1.8, lineDash: [6, 4] }),
      text: new Text({
        text: edited ? String(shown.get('size') ?? '') : '',
        font: "600 13px 'Source Sans 3 Variable', sans-serif",
        overflow: true,
        fill: new Fill({ color: violet }),
        stroke: new Stroke({ color: rim, width: 4 }),
      }),
    });
    if (!edited) return [area];
    const corners = new Style({
      image: new Circle({ radius: 4.5, fill: new Fill({ color: '#fffdf7' }), stroke: new Stroke({ color: violet, width: 2 }) }),
      geometry: (f) => ((f as Feature).get('round') === true ? undefined : new MultiPoint(cornersOf((f as Feature).getGeometry()!))),
    });
    const held = new Style({
      image: new Circle({ radius: 8, fill: new Fill({ color: violet }), stroke: new Stroke({ color: '#fffdf7', width: 2.5 }) }),
      geometry: corner.value ? new Point(corner.value.at) : undefined,
    });
    return corner.value ? [area, corners, held] : [area, corners];
  }

  const placed = computed(() => {
    const { activeSieve, activeSource } = workspace;
    return activeSieve && activeSource ? placedConditions(activeSieve.tree, activeSource.columns) : [];
  });
  watch(
    [placed, () => focus.editing, () => workspace.areaShapes, () => show.plane],
    () => {
      shapes.clear();
      for (const { id, form, off } of placed.value) {
        const shape = shapeOfForm(form, workspace.areaShapes);
        if (!shape || (off && focus.editing !== id)) continue;
        shape.setGeometry(onOtherPlane(shape.getGeometry()!, show.plane));
        shape.setProperties({ condition: id, round: isRound(form, workspace.areaShapes), off, size: sizeOfPlace(form) });
        shapes.addFeature(shape);
      }
      watchCorners();
    },
    { immediate: true },
  );

  /** How large the shape of a condition is, in words; nothing for several. */
  function sizeOfPlace(form: Form): string {
    if (form.kind === 'radius') return '';
    const place = isSpaceForm(form) ? placeOf(form) : null;
    const shape = place && 'op' in place && place.op === 'AREA' ? workspace.areaShapes.get(place.args[0]) : place;
    return shape && (!('op' in shape) || shape.op === 'BUFFER') ? sizeInWords(shape) : '';
  }

  function watchCorners(): void {
    if (modify) map.value?.removeInteraction(modify);
    modify = null;
    movable.value = null;
    const edited = placed.value.find(({ id, form }) => id === focus.editing && !isRound(form, workspace.areaShapes));
    const shape = edited && shapes.getFeatures().find((feature) => feature.get('condition') === edited.id);
    // On another plane corners are not where they are taken hold of.
    if (!shape || !map.value || show.plane !== 'mercator') return;
    modify = new Modify({ features: new Collection([shape]) });
    const geometry = shape.getGeometry()!;
    const put = () => {
      if (isSpaceForm(edited.form)) putShape(edited.id, edited.form, movedGeometry(geometry));
    };
    modify.on('modifyend', put);
    movable.value = { geometry, put };
    map.value.addInteraction(modify);
  }

  const layer = new VectorLayer({ source: shapes, zIndex: 2, style });
  watch([colours, corner], () => layer.changed());
  return { layer, style, placed, corner };
}
