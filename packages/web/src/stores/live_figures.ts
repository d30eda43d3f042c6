import { watch } from 'vue';
import { stateOf } from '../sources/state.ts';
import { useSifting } from './sifting.ts';
import { useWorkspace } from './workspace.ts';

/** Milliseconds that conditions rest before figures by zones follow them. */
const RESTS = 900;

/**
 * Figures by zones follow what they are made from, once that is at rest: the sieves that they are of, the areas and sources those are
 * about, the features and their columns.
 */
export function useLiveFigures(): void {
  const workspace = useWorkspace();
  const sifting = useSifting();
  let resting: ReturnType<typeof setTimeout> | undefined;
  const states = () => new Map(workspace.sources.map((source) => [source.id, stateOf(source)]));

  async function follow(): Promise<void> {
    const before = states();
    await workspace.refresh(true);
    if ([...states()].some(([id, state]) => before.has(id) && before.get(id) !== state)) sifting.refresh();
  }
  const hasFigures = () => workspace.sources.some(({ columns }) => columns.some(({ derivation }) => derivation?.kind === 'zoned'));

  // Those of a workspace that was opened are not waited for; they follow.
  if (hasFigures()) resting = setTimeout(() => void follow(), RESTS);
  watch(
    () => [
      ...workspace.sieves.map(({ tree }) => tree),
      ...workspace.areas.map(({ shape }) => shape),
      ...workspace.sources.map((source) => stateOf(source)),
      workspace.asOf,
    ],
    (now, before) => {
      if (now.length === before.length && now.every((one, i) => one === before[i])) return;
      if (!hasFigures()) return;
      clearTimeout(resting);
      resting = setTimeout(() => void follow(), RESTS);
    },
  );
}
