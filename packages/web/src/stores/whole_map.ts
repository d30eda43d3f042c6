import { countsOthers, emptyTree, exprOfTree, numberOf, parseFilter, type Box, type Classing, type Group } from '@clean-sieve/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { api } from '../api/client.ts';
import { latest } from '../api/latest.ts';
import { idOf } from '../map/passes.ts';
import { hasAnswer, isSample, stateOf } from '../sources/state.ts';
import { filterInView } from '../stack/in_view.ts';
import { sentence } from '../words/sentence.ts';
import { useFocus } from './focus.ts';
import { useMapShow } from './map_show.ts';
import { useSifting } from './sifting.ts';
import { useStyles } from './styles.ts';
import { useWorkspace } from './workspace.ts';

/** Milliseconds that map and conditions rest before the database is asked. */
const REST = 350;
/** Where about more than these are in view, the sample is what is drawn. */
const MOST_DRAWN = 30_000;

/** What of the open source is drawn of all, where only a sample is held. */
interface Wanted {
  sourceId: number;
  tree: Group;
  classing: Classing | null;
  /** Another one whenever what is kept was evaluated anew. */
  turn: number;
}

/**
 * Where the open source holds only a sample, the map asks the database for all that is kept in view, as soon as that is not too much to
 * be drawn.
 */
export const useWholeMap = defineStore('whole map', () => {
  const workspace = useWorkspace();
  const sifting = useSifting();
  const styles = useStyles();
  const show = useMapShow();
  const focus = useFocus();

  const wanted = computed<Wanted | null>((before) => {
    const [source, sieve, result] = [workspace.activeSource, workspace.activeSieve, sifting.active];
    if (!source || !isSample(source) || !hasAnswer(source)) return null;
    // Marks as large as a number are as large as the largest of the sample says.
    if (styles.style.sizeBy || focus.nearMissesOf !== null || (sieve && !result)) return null;
    const tree = result ? workspace.byIdentity({ tree: result.tree }).tree : emptyTree();
    // In a part of the map it is not known which others there are.
    if (countsOthers(exprOfTree(tree) ?? true)) return null;
    const own = { sourceId: source.id, tree, classing: styles.style.classing, turn: idOf(result?.mask ?? null) };
    return before && JSON.stringify(before) === JSON.stringify(own) ? before : own;
  });

  /** What tiles of the map are asked for, as text (`WholeTileAsk` but for the plane); null: drawn is the sample. */
  const ofAll = shallowRef<string | null>(null);
  /** Whether all of them are in the picture. */
  const drawn = ref(false);
  /** Why they are not there. */
  const trouble = ref('');
  const asking = latest();
  let resting: ReturnType<typeof setTimeout> | undefined;

  /** Whether about so many are kept in view, by the sample, that all of them can be drawn. */
  async function isFewEnough({ sourceId, tree }: Wanted, view: Box, signal: AbortSignal): Promise<boolean> {
    const { expr } = parseFilter(filterInView(null, view));
    const inView: Group = { ...emptyTree(), children: [tree, { kind: 'condition', id: 'in view', expr }] };
    const [about] = await api.counts(sourceId, [inView], signal);
    return (numberOf(about) ?? 0) <= MOST_DRAWN;
  }

  function put(next: string | null): void {
    if (next !== ofAll.value) drawn.value = false;
    ofAll.value = next;
  }

  async function look(one: Wanted, view: Box): Promise<void> {
    try {
      const isFew = await asking((signal) => isFewEnough(one, view, signal));
      if (isFew !== undefined) put(isFew ? JSON.stringify(one) : null);
    } catch (error) {
      fail((error as Error).message);
    }
  }

  /** Where they cannot be had, the sample stays what is drawn until map or conditions are others, or they are asked for again. */
  function fail(why: string): void {
    put(null);
    trouble.value = sentence(why);
  }

  watch(
    () => [wanted.value, show.view, workspace.activeSource && stateOf(workspace.activeSource)] as const,
    ([one, view], before) => {
      clearTimeout(resting);
      void asking(() => Promise.resolve(null));
      // What is drawn of other conditions is nothing of these.
      if (one !== before?.[0]) put(null);
      trouble.value = '';
      if (one) resting = setTimeout(() => void look(one, view), REST);
    },
    { immediate: true },
  );

  function again(): void {
    trouble.value = '';
    if (wanted.value) void look(wanted.value, show.view);
  }

  /** The map shows a picture of what was asked for last. @param complete whether everything is in it */
  function pictured(complete: boolean): void {
    drawn.value = complete;
  }

  return { ofAll, drawn, trouble, pictured, fail, again };
});
