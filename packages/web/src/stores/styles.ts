import { classCounts, PLAIN_STYLE, type BySize, type ClassCounts, type Classing, type FeatureKey, type Style } from '@clean-sieve/core';
import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { stateOf } from '../sources/state.ts';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** Classes of so many sources and classings that are not shown any more are kept. */
const MOST_KEPT = 12;

/** A style with the class of each row, of a source in one state. */
interface Drawn {
  state: string;
  style: Style;
  codes: Uint8Array;
}

const sourceIdOf = (styled: SieveInfo | SourceInfo): number => ('sourceId' in styled ? styled.sourceId : styled.id);

/** How sieves and sources are drawn, and the class of each of their features. */
export const useStyles = defineStore('styles', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const history = useHistory();
  const notices = useNotices();
  /** The class of each row by source, its state and the classing. */
  const codes = shallowRef<ReadonlyMap<string, Uint8Array>>(new Map());
  const asked = new Set<string>();
  /** The panel in which the style is changed. */
  const open = ref(false);

  const sourceOf = (styled: SieveInfo | SourceInfo) => workspace.sources.find(({ id }) => id === sourceIdOf(styled));
  const keyOf = (source: SourceInfo, classing: Classing | BySize) =>
    // The colours of a classing do not matter to which class a feature is of.
    JSON.stringify([source.id, stateOf(source), classing.kind, classing.column, partsOf(classing)]);
  function partsOf(classing: Classing | BySize) {
    if (classing.kind === 'sizes') return null;
    return classing.kind === 'steps' ? classing.bounds : classing.classes.map(({ value }) => value);
  }

  /** The class of each row of what is drawn by classes; null while that is not known. */
  function codesOf(styled: SieveInfo | SourceInfo): Uint8Array | null {
    const source = sourceOf(styled);
    const { classing } = styled.style ?? PLAIN_STYLE;
    return source && classing ? (codes.value.get(keyOf(source, classing)) ?? null) : null;
  }

  async function fetch(source: SourceInfo, classing: Classing | BySize): Promise<void> {
    const key = keyOf(source, classing);
    if (asked.has(key)) return;
    asked.add(key);
    try {
      const found = await api.classes(source.id, classing);
      const now = new Map(codes.value).set(key, found);
      const used = keysInUse();
      for (const old of [...now.keys()].filter((one) => !used.has(one)).slice(0, -MOST_KEPT)) {
        now.delete(old);
        asked.delete(old);
      }
      codes.value = now;
    } catch (error) {
      asked.delete(key);
      notices.complain(error);
    }
  }

  /** Whose style is worked on: the active sieve, or the source as a whole. */
  const target = computed<SieveInfo | SourceInfo | null>(() => workspace.activeSieve ?? workspace.activeSource);
  const style = computed<Style>(() => target.value?.style ?? PLAIN_STYLE);

  /** What is shown by classes, or would be if they were known. */
  function shownByClasses(): { source: SourceInfo; classing: Classing | BySize }[] {
    const below = workspace.sources.filter((source) => source.below);
    return [target.value, ...workspace.sieves.filter(({ visible }) => visible), ...below].flatMap((styled) => {
      const source = styled && sourceOf(styled);
      if (!source || !styled.style) return [];
      const { classing } = styled.style;
      const sizing = sizingOf(source, styled.style);
      return [...(classing ? [{ source, classing }] : []), ...(sizing ? [{ source, classing: sizing }] : [])];
    });
  }
  /** How large marks are by a number; null where they are not, or the column is gone. */
  function sizingOf(source: SourceInfo, { sizeBy }: Style): BySize | null {
    return source.columns.some(({ name, type }) => name === sizeBy && type === 'number') ? { kind: 'sizes', column: sizeBy! } : null;
  }
  /** The level of each row's radius; null where marks are all alike, or that is not known yet. */
  function levelsOf(styled: SieveInfo | SourceInfo): Uint8Array | null {
    const source = sourceOf(styled);
    const sizing = source && styled.style && sizingOf(source, styled.style);
    return source && sizing ? (codes.value.get(keyOf(source, sizing)) ?? null) : null;
  }
  const keysInUse = () => new Set(shownByClasses().map(({ source, classing }) => keyOf(source, classing)));
  // Other features in a source are of other classes.
  watch(
    () => [...keysInUse()].join(),
    () => shownByClasses().forEach(({ source, classing }) => void fetch(source, classing)),
    { immediate: true },
  );

  /** Whether a feature is of a class that is not drawn. */
  function isHidden(styled: SieveInfo | SourceInfo | null, key: FeatureKey): boolean {
    const drawn = styled && drawnOf(styled);
    return !!drawn && typeof key === 'number' && drawn.style.hidden.includes(drawn.codes[key]);
  }

  const drawnLast = new Map<string, Drawn>();
  /**
   * The style that something is drawn by: its own, or, until the classes of that are known, the one before. Null where there are
   * none, or they cannot be told: it is drawn in one colour rather than not at all.
   */
  function drawnOf(styled: SieveInfo | SourceInfo): Drawn | null {
    const source = sourceOf(styled);
    const id = `${'sourceId' in styled ? 'sieve' : 'source'} ${styled.id}`;
    if (!source || !styled.style?.classing) {
      drawnLast.delete(id);
      return null;
    }
    const [state, now] = [stateOf(source), codesOf(styled)];
    if (now) drawnLast.set(id, { state, style: styled.style, codes: now });
    const last = drawnLast.get(id);
    return last?.state === state ? last : null;
  }

  /** All and kept features of each class; null while they are not known. */
  function countsOf(styled: SieveInfo | SourceInfo): ClassCounts | null {
    const found = codesOf(styled);
    const mask = 'sourceId' in styled ? sifting.results.get(styled.id)?.mask : null;
    return found && mask !== undefined ? classCounts(found, mask) : null;
  }
  /** Those of what is worked on. */
  const counts = computed(() => target.value && countsOf(target.value));

  /** Changes how the active sieve, or the source as a whole, is drawn; can be undone. Changes of one key are one step. */
  async function change(next: Style | null, key?: string): Promise<void> {
    const [sieve, source] = [workspace.activeSieve, workspace.activeSource];
    if (sieve) return workspace.changeSieve(sieve.id, { style: next }, 'style', key && `style ${key}`);
    if (!source) return;
    const before = source.style;
    const put = async (wanted: Style | null) => workspace.putSource(await api.changeSource(source.id, { style: wanted }));
    try {
      await put(next);
      history.record({ label: 'style', key: key && `${source.id}:style ${key}`, undo: () => put(before), redo: () => put(next) });
    } catch (error) {
      notices.complain(error);
    }
  }

  return { open, target, style, drawnOf, levelsOf, isHidden, countsOf, counts, change };
});
