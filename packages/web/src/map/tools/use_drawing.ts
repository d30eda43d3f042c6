import { exprOfForm, isSpaceForm, narrowedBy, placeOf, solidOf, type Form, type SpaceForm, type TreeNode } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { Coordinate } from 'ol/coordinate.js';
import Feature from 'ol/Feature.js';
import Snap from 'ol/interaction/Snap.js';
import VectorLayer from 'ol/layer/Vector.js';
import type OlMap from 'ol/Map.js';
import VectorSource from 'ol/source/Vector.js';
import type { Style } from 'ol/style.js';
import { onBeforeUnmount, onMounted, ref, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue';
import { api } from '../../api/client.ts';
import { withPlace } from '../../stack/space_forms.ts';
import { useTreeEditing } from '../../stack/tree_editing.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { usePicks } from '../../stores/picks.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { plural } from '../../words/numbers.ts';
import type { placedConditions } from '../area_tools.ts';
import { shapeOnMap, startDrawing, withHole, type Drawing } from '../area_tools.ts';
import { onOtherPlane } from '../planes.ts';
import { usePutShape } from './put_shape.ts';

/** What is being drawn: with the mouse, by lengths that are typed, snapping to what is near. */
export interface DrawingTool {
  layer: VectorLayer;
  /** A length in metres that is being typed. */
  typed: Ref<string>;
  /** How long or large it is so far. */
  measure: Ref<string>;
  /** Whether a click at this time, on the clock of events, was the last of a drawing. */
  endedBy: (time: number) => boolean;
  /** Where the pointer is. */
  pointAt: (at: Coordinate) => void;
}

export function useDrawing(
  map: ShallowRef<OlMap | null>,
  style: (feature: unknown) => Style[],
  placed: ComputedRef<ReturnType<typeof placedConditions>>,
): DrawingTool {
  const workspace = useWorkspace();
  const show = useMapShow();
  const notices = useNotices();
  const editing = useTreeEditing();
  const putShape = usePutShape();
  const sifting = useSifting();
  const picks = usePicks();
  const scratch = new VectorSource();
  /** Exact shapes round here for a drawing to snap to: those of the areas, and of sources of which few are in view. */
  const nearby = new VectorSource<Feature>();
  const [typed, measure] = [ref(''), ref('')];
  let drawing: Drawing | null = null;
  let snap: Snap | null = null;
  let under: Coordinate | null = null;
  let drawnUntil = 0;

  watch(
    () => show.tool,
    (tool, before) => {
      stop();
      if (before === 'cells') show.setGrid(null);
      if (tool === 'pick' || tool === 'cells' || !map.value) return;
      drawing = startDrawing(
        map.value,
        scratch,
        tool,
        (form) => void finish(form, tool === 'hole'),
        (text) => (measure.value = text),
      );
      snap = new Snap({ source: nearby, pixelTolerance: 8 });
      map.value.addInteraction(snap);
      void findNearby();
    },
  );
  watch(
    () => show.view,
    () => {
      if (drawing) void findNearby();
    },
  );

  function stop(): void {
    drawing?.stop();
    if (snap) map.value?.removeInteraction(snap);
    drawing = snap = null;
    scratch.clear();
    measure.value = typed.value = '';
  }

  async function findNearby(): Promise<void> {
    const found = workspace.areas.map(({ shape }) => new Feature(shapeOnMap(shape)));
    for (const source of workspace.ownSources) {
      if (show.hidden.has(source.id)) continue;
      // Without them a drawing snaps to less, and goes on.
      const shapes = await api.nearby(source.id, show.view).catch(() => []);
      found.push(...shapes.map((shape) => new Feature(shapeOnMap(shape))));
    }
    nearby.clear();
    nearby.addFeatures(found);
  }

  async function finish(form: Form, hole: boolean): Promise<void> {
    drawnUntil = performance.now();
    const replaced = show.replaces;
    show.useTool('pick');
    const before = placed.value.find(({ id }) => id === replaced)?.form;
    if (hole) {
      if (before && isSpaceForm(before) && form.kind === 'area') cutHole(replaced!, before, form.geometry as Geometry);
      return;
    }
    // A shape without a distance of its own is asked what the one before was.
    const again =
      before && isSpaceForm(before) && form.kind === 'area' ? withPlace(before, form.geometry, false, workspace.areaShapes) : form;
    if (replaced === null && show.drawsPicks) return pickIn(form);
    if (replaced !== null) editing.setExpr(replaced, exprOfForm(again));
    else await editing.addCondition(exprOfForm(form));
  }

  /** Picks what is on show and lies in a drawn shape, or near it. */
  async function pickIn(form: Form): Promise<void> {
    const source = workspace.activeSource;
    if (!source) return;
    const drawn: TreeNode = { kind: 'condition', id: 'drawn', expr: exprOfForm(form) };
    try {
      const tree = narrowedBy(sifting.shownTree, drawn, 'drawn within');
      const keys = await api.keys(source.id, { tree, order: [], offset: 0, count: source.rows });
      if (workspace.activeSource?.id !== source.id) return;
      if (keys.length > 0) picks.add(keys);
      notices.say(keys.length === 0 ? 'Nothing on show lies there.' : `${plural(keys.length, 'feature')} picked.`);
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Cuts a drawn ring out of the shape of a condition. */
  function cutHole(id: string, form: SpaceForm, drawn: Geometry): void {
    const solid = solidOf(placeOf(form), workspace.areaShapes);
    const cut = solid && drawn.type === 'Polygon' ? withHole(solid.geometry, drawn.coordinates[0]) : null;
    if (!cut) notices.complain(new Error('A hole lies wholly within the area, apart from its other holes'));
    else putShape(id, form, cut);
  }

  function onKey(event: KeyboardEvent): void {
    const { key, target: at } = event;
    if (!drawing || (at instanceof HTMLElement && at.matches('input, textarea, [contenteditable="true"]'))) return;
    if (key === 'Escape' && typed.value !== '') typed.value = '';
    else if (key === 'Escape') show.useTool('pick');
    else if (/^[\d.,]$/.test(key)) typed.value += key === ',' ? '.' : key;
    else if (key === 'Backspace' && typed.value !== '') typed.value = typed.value.slice(0, -1);
    else if (key === 'Enter' && typed.value !== '') {
      const metres = Number(typed.value);
      typed.value = '';
      if (metres > 0 && under) drawing.reach(metres, under);
    } else if (key === 'Enter') drawing.interaction.finishDrawing();
    else if (key === 'Backspace') drawing.interaction.removeLastPoint();
    else return;
    event.preventDefault();
  }
  onMounted(() => window.addEventListener('keydown', onKey));
  onBeforeUnmount(() => window.removeEventListener('keydown', onKey));

  watch(
    () => show.looked,
    (looked) => {
      if (!looked) return;
      const shape = onOtherPlane(shapeOnMap(looked.shape), show.plane);
      map.value?.getView().fit(shape.getExtent(), { padding: [70, 60, 60, 60], maxZoom: 17, duration: 250 });
      const flash = new Feature(shape);
      scratch.addFeature(flash);
      setTimeout(() => scratch.removeFeature(flash), 1800);
    },
  );

  return {
    layer: new VectorLayer({ source: scratch, zIndex: 3, style }),
    typed,
    measure,
    endedBy: (time) => time <= drawnUntil,
    pointAt: (at) => (under = at),
  };
}
