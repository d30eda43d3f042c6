import { emptyTree, has, type FeatureKey, type FeaturesThere } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { useFocus } from '../stores/focus.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useSifting } from '../stores/sifting.ts';
import { useStyles } from '../stores/styles.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { namingColumn, titleOf } from '../words/cells.ts';

/** A feature that a place of the map was asked for. */
export interface Lying {
  sourceId: number;
  key: FeatureKey;
  title: string;
  /** By the active sieve; null for features of other sources. */
  kept: boolean | null;
}
/** All that is drawn at a place, what is on top first. */
export interface LyingThere {
  features: Lying[];
  /** So many more lie there than are told. */
  more: number;
}

type Found = FeaturesThere['features'][number];

/** Pixels that a place reaches for what stands out, and for what is drawn faintly in the background. */
const REACH = 7;
const REACH_BACKGROUND = 4;

/**
 * Asks what is drawn at a place of the map. What stands out (the active source, and what visible sieves keep) comes before what is faint
 * in the background; of each points come before lines before areas.
 */
export function useThere() {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const focus = useFocus();
  const show = useMapShow();
  const styles = useStyles();

  /** Of a source that is not the active one: kept by a sieve that is visible. */
  function standsOut(source: SourceInfo, { key }: Found): boolean {
    return workspace.sieves.some((sieve) => {
      const mask = sieve.visible && sieve.sourceId === source.id ? sifting.results.get(sieve.id)?.mask : null;
      return mask && typeof key === 'number' && has(mask, key) && !styles.isHidden(sieve, key);
    });
  }

  const hasVisible = ({ id }: SourceInfo) => workspace.sieves.some(({ sourceId, visible }) => visible && sourceId === id);
  function answering(): SourceInfo[] {
    const shown = (source: SourceInfo) => (!show.hidden.has(source.id) && !source.below) || hasVisible(source);
    const others = workspace.sources.filter(
      (source) => source.role === 'layer' && source.id !== workspace.activeSource?.id && shown(source),
    );
    return [...(workspace.activeSource ? [workspace.activeSource] : []), ...others];
  }

  /** @param place metres of the plane that the map is drawn on @param resolution of these a pixel */
  async function lyingThere([x, y]: number[], resolution: number, signal: AbortSignal): Promise<LyingThere> {
    const active = workspace.activeSource;
    const all = await Promise.all(
      answering().map(async (source) => {
        const own = source === active;
        const selection = own ? focus.selection() : { tree: emptyTree() };
        const column = namingColumn(source);
        const place = { plane: show.plane, x, y, reach: REACH * resolution, nameColumn: column?.name ?? null };
        const found = await api.there(source.id, { ...selection, ...place }, signal);
        const features = found.features.flatMap((feature) => {
          const { key, kept, dimension, distance, name } = feature;
          const isBold = own || standsOut(source, feature);
          // Below what a sieve keeps all are drawn faintly, where that is wanted.
          const isDrawn = own
            ? (show.sifted && workspace.activeSieve !== null) || (kept && !styles.isHidden(styles.target, key))
            : isBold || (!show.hidden.has(source.id) && !source.below && distance <= REACH_BACKGROUND * resolution);
          const title = titleOf(column, name, key);
          return isDrawn ? [{ sourceId: source.id, key, dimension, isBold, kept: own ? kept : null, title }] : [];
        });
        return { features, more: found.total - found.features.length };
      }),
    );
    // A sort that keeps the order of what is equal.
    const features = all
      .flatMap(({ features: some }) => some)
      .sort((a, b) => Number(b.isBold) - Number(a.isBold) || a.dimension - b.dimension);
    return { features, more: all.reduce((sum, { more }) => sum + more, 0) };
  }
  return lyingThere;
}
