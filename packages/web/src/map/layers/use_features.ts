import { emptyMask, put } from '@clean-sieve/core';
import { onBeforeUnmount, shallowRef, watch, type Ref } from 'vue';
import { api } from '../../api/client.ts';
import { latest } from '../../api/latest.ts';
import { useFocus } from '../../stores/focus.ts';
import { useMapShow } from '../../stores/map_show.ts';
import { useNotices } from '../../stores/notices.ts';
import { usePicks } from '../../stores/picks.ts';
import { useSifting } from '../../stores/sifting.ts';
import { useStyles } from '../../stores/styles.ts';
import { useWholeMap } from '../../stores/whole_map.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { useClasses } from '../../style/use_classes.ts';
import { FeatureLayer } from '../feature_layer.ts';
import { passesOf } from '../passes.ts';
import type { MapColours } from './map_colours.ts';

/** The features of all sources as they are kept, drawn anew whenever that changes. */
export function useFeatures(colours: Readonly<Ref<MapColours>>): FeatureLayer {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const focus = useFocus();
  const notices = useNotices();
  const picks = usePicks();
  const show = useMapShow();
  const classes = useClasses();
  const styles = useStyles();
  const wholeMap = useWholeMap();
  const layer = new FeatureLayer(
    null,
    (error, ofAll) => (ofAll === null ? notices.complain(error) : wholeMap.fail(error.message)),
    ({ deepest, complete }) => {
      show.deepest = deepest;
      wholeMap.pictured(complete);
      sifting.pictured();
    },
  );
  const nearMask = shallowRef<Uint32Array | null>(null);
  onBeforeUnmount(() => layer.dispose());

  function maskOfPicks(): Uint32Array {
    const { held } = workspace.activeSource!;
    const mask = emptyMask(held);
    for (const key of picks.keys) if (typeof key === 'number' && key < held) put(mask, key);
    return mask;
  }

  function repaint(): void {
    layer.setPasses(
      passesOf({
        sources: workspace.sources,
        sieves: workspace.sieves,
        activeSource: workspace.activeSource,
        activeSieve: workspace.activeSieve,
        classesOf: classes.passesOf,
        levelsOf: styles.levelsOf,
        maskOf: (sieveId) => sifting.results.get(sieveId)?.mask ?? null,
        nearMisses: focus.nearMissesOf === null ? null : nearMask.value,
        ofAll: wholeMap.ofAll,
        picks: picks.keys.size > 0 && workspace.activeSource ? maskOfPicks() : null,
        hidden: show.hidden,
        showSifted: show.sifted,
        colours: colours.value,
      }),
    );
  }
  watch(
    () => [
      workspace.sources,
      workspace.sieves,
      workspace.activeSource,
      workspace.activeSieve,
      show.sifted,
      [...show.hidden],
      nearMask.value,
      focus.nearMissesOf,
      wholeMap.ofAll,
      picks.keys,
      colours.value,
      // Classes come after the style that they are of.
      workspace.sieves.map(classes.passesOf),
      workspace.activeSource && classes.passesOf(workspace.activeSource),
      workspace.sources.filter(({ below }) => below).map(classes.passesOf),
      workspace.sieves.map(styles.levelsOf),
      workspace.activeSource && styles.levelsOf(workspace.activeSource),
    ],
    repaint,
    { immediate: true },
  );
  // What is kept is drawn while the rest of the screen follows.
  watch(() => sifting.results, repaint, { flush: 'sync' });

  const missing = latest();
  watch(
    () => [focus.nearMissesOf, sifting.version],
    async () => {
      const source = workspace.activeSource;
      nearMask.value = null;
      const found = await missing((signal) =>
        focus.nearMissesOf === null || !source ? Promise.resolve(null) : api.sift(source.id, focus.selection(), signal),
      ).catch(notices.complain);
      if (found) nearMask.value = found.mask;
    },
    { immediate: true },
  );
  return layer;
}
