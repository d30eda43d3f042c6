import {
  activeConditions,
  cutPlaceOf,
  formOfExpr,
  PICKED_BY_HAND,
  sentenceOf,
  shapeInWords,
  WRITTEN_FORMATS,
  type ColumnChoice,
  type Group,
  type ShapeChoice,
  type WrittenFormat,
  type FeatureKey,
} from '@clean-sieve/core';
import type { ColumnInfo, ExtractRequest, SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { computed, reactive, ref, type Ref } from 'vue';
import type { HandOverWish } from '../stores/exports.ts';
import { useSifting } from '../stores/sifting.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useClasses } from '../style/use_classes.ts';
import { labelOf } from '../words/cells.ts';
import { PALETTE } from '../words/palette.ts';

/** A column on offer, chosen or not, in the order of the file. */
export interface DraftColumn {
  column: ColumnInfo;
  chosen: boolean;
  as: string;
  codes: ColumnChoice['codes'];
}

/** One layer of the extract that is being put together. */
export interface DraftLayer {
  key: number;
  source: SourceInfo;
  /** The sieve that it comes from; null for a source as it is, or for the sieve at work while it is changed. */
  sieve: SieveInfo | null;
  tree: Group;
  name: string;
  columns: DraftColumn[];
  shape: ShapeChoice['kind'];
  metres: number;
  /** `own`, `lonlat` or the code of a system. */
  system: string;
  order: { column: string; descending: boolean } | null;
  cutting: string | null;
  /** Rows that it is narrowed to beside the conditions; null for none. */
  picks: readonly FeatureKey[] | null;
  pickedAs: string | null;
}

export const SOURCE = 'source';
export const CLIPBOARD = 'clipboard';
/** What is no file: a source of the workspace, rows on the clipboard. */
export const isFile = (format: string) => format !== SOURCE && format !== CLIPBOARD;

/** Of a key without pictures no mark is too large. */
const LARGE = 100;

/** The extract that the hand-over screen puts together. */
export function useDraft() {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const { keyOf } = useClasses(true);
  // Trees nest without end, which is too deep for the unwrapping of types.
  const layers = ref([]) as Ref<DraftLayer[]>;
  const at = ref(0);
  const title = ref('');
  const format = ref('geopackage');
  const within = reactive({ area: '', cut: false });
  const tolerance = ref(1);
  const zip = ref(false);
  const coordinates = ref<ExtractRequest['coordinates']>(null);
  const guarded = ref(true);
  let keys = 0;

  function layerOf(source: SourceInfo, sieve: SieveInfo | null, tree: Group): DraftLayer {
    const name = sieve ? workspace.nameOf(sieve) : source.name;
    return {
      ...{ key: keys++, source, sieve, tree, name: freeLayerName(name.slice(0, 80)) },
      columns: source.columns.map((column) => ({ column, chosen: !column.hidden, as: column.name, codes: 'code' })),
      ...{ shape: 'as-is', metres: 10, system: 'own', order: null, cutting: null, picks: null, pickedAs: null },
    };
  }
  function freeLayerName(name: string): string {
    const taken = layers.value.map((layer) => layer.name.toLowerCase());
    let free = name;
    for (let n = 2; taken.includes(free.toLowerCase()); n++) free = `${name} ${n}`;
    return free;
  }

  /** Begins with what is asked for, or with what is on show. */
  function begin(wish: HandOverWish | null): void {
    const source = workspace.activeSource;
    layers.value = [];
    if (wish) {
      const { picks, pickedAs, name } = wish;
      layers.value = [{ ...layerOf(wish.source, wish.sieve, wish.tree), name, picks, pickedAs }];
    } else if (source) layers.value = [layerOf(source, workspace.activeSieve ?? null, sifting.shownTree)];
    else return;
    at.value = 0;
    title.value = layers.value[0].name;
    Object.assign(within, { area: '', cut: false });
    zip.value = false;
  }
  function add(source: SourceInfo, sieve: SieveInfo | null): void {
    const tree = sieve?.tree ?? { kind: 'group' as const, id: 'all', combine: 'all' as const, children: [] };
    layers.value.push(layerOf(source, sieve, tree));
    at.value = layers.value.length - 1;
    if (!isFile(format.value)) format.value = 'geopackage';
  }
  function remove(index: number): void {
    layers.value.splice(index, 1);
    at.value = Math.max(0, Math.min(at.value, layers.value.length - 1));
  }

  const layer = computed(() => layers.value[at.value]);
  const written = computed<WrittenFormat | null>(() => WRITTEN_FORMATS.find(({ name }) => name === format.value) ?? null);
  const lonLatOnly = computed(() => written.value?.writing.lonLatOnly ?? false);
  const packed = computed(() => zip.value || (layers.value.length > 1 && written.value?.writing.kind !== 'database'));

  /** What is kept of a layer, in words. */
  function sentence({ source, tree, picks, pickedAs }: DraftLayer): string {
    const kept = sentenceOf(source.name, tree, workspace.wording(source))
      .map(({ text }) => text)
      .join('');
    return picks === null ? kept : `${kept}, only those ${pickedAs ?? PICKED_BY_HAND}`;
  }
  /** Conditions that lines and polygons of a layer can be cut by. */
  function cutters({ source, tree }: DraftLayer): { value: string; title: string }[] {
    if (Object.keys(source.geometryTypes).every((type) => /Point$|None/.test(type))) return [];
    return activeConditions(tree).flatMap(({ id, expr }) => {
      const place = cutPlaceOf(formOfExpr(expr, source.columns));
      return place ? [{ value: id, title: shapeInWords(place).replace(/^any of /, '') }] : [];
    });
  }

  function drawnOf(styled: SieveInfo | SourceInfo) {
    const { style } = styled;
    return style && { style, legend: keyOf(styled, LARGE).map(({ name: label, colour }) => ({ label, colour })) };
  }
  const request = computed<ExtractRequest>(() => ({
    title: title.value.trim() || 'extract',
    format: format.value === CLIPBOARD ? 'csv' : format.value === SOURCE ? 'geopackage' : format.value,
    layers: layers.value.map((one) => ({
      sourceId: one.source.id,
      tree: one.tree,
      name: one.name.trim() || one.source.name,
      columns: one.columns
        .filter(({ chosen }) => chosen)
        .map(({ column, as, codes }) => ({ name: column.name, as: as.trim() || column.name, codes })),
      shape:
        one.shape === 'buffer' || one.shape === 'simplify'
          ? { kind: one.shape, metres: Math.max(0.001, Number(one.metres) || 0.001) }
          : { kind: one.shape },
      crs: one.system === 'own' ? null : one.system === 'lonlat' ? 'OGC:CRS84' : one.system,
      order: one.order,
      cut: one.cutting === null ? null : { condition: one.cutting, tolerance: Number(tolerance.value) || 0 },
      colour: PALETTE[one.sieve?.colour ?? 0].colour,
      drawn: drawnOf(one.sieve ?? one.source),
      picks: one.picks === null ? null : [...one.picks],
      pickedAs: one.pickedAs,
    })),
    within: within.area === '' ? null : { ...within, tolerance: Number(tolerance.value) || 0 },
    zip: zip.value,
    coordinates: coordinates.value,
    guarded: guarded.value,
  }));

  return {
    layers,
    at,
    layer,
    title,
    format,
    written,
    lonLatOnly,
    packed,
    within,
    tolerance,
    zip,
    coordinates,
    guarded,
    begin,
    add,
    remove,
    sentence,
    cutters,
    request,
    labelOf,
  };
}
