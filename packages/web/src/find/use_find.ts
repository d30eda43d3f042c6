import { buffer, emptyTree, readShape, type AreaShape, type FoundText } from '@clean-sieve/core';
import type { ColumnInfo, SourceInfo } from '@clean-sieve/server/api';
import { nextTick, ref, watch } from 'vue';
import { api } from '../api/client.ts';
import { latest } from '../api/latest.ts';
import { cities, placesNamed } from '../map/places.ts';
import { countries } from '../map/world.ts';
import { exprOfExactly } from '../stack/exact_value.ts';
import { firstExpr } from '../stack/first_expr.ts';
import { useTreeEditing } from '../stack/tree_editing.ts';
import { useFocus } from '../stores/focus.ts';
import { useMapShow } from '../stores/map_show.ts';
import { useNotices } from '../stores/notices.ts';
import { howMany } from '../sources/state.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { columnText, labelOf } from '../words/cells.ts';
import { counted } from '../words/numbers.ts';
import { matching, type Found, type FoundGroup } from './found.ts';
import { useCommands } from './use_commands.ts';

/** Found ones of a kind that are shown. */
const MOST = 6;
/** Other sources whose texts are searched too. */
const MOST_SOURCES = 8;
/** Cities are counted no farther than this. */
const MOST_PLACES = 1000;
const WAIT = 150;

/** One search over all that has a name: commands, sieves, sources, areas, columns, features, places, coordinates. */
export function useFind() {
  const workspace = useWorkspace();
  const focus = useFocus();
  const show = useMapShow();
  const notices = useNotices();
  const editing = useTreeEditing();
  const commands = useCommands();
  const text = ref('');
  const groups = ref<FoundGroup[]>([]);
  const busy = ref(false);
  /** Sources of which the texts were not looked at. */
  const unsearched = ref(0);
  const searching = latest();

  /** What is not all that was found says so. */
  const titled = (title: string, many: number) => (many > MOST ? `${title}, the first ${MOST} of ${counted(many)}` : title);

  const of = (title: string, found: Found[]): FoundGroup[] =>
    found.length > 0 ? [{ title: titled(title, found.length), found: found.slice(0, MOST) }] : [];

  function atOnce(asked: string): FoundGroup[] {
    const sieves = workspace.sieves.map((sieve) => ({ sieve, name: workspace.nameOf(sieve) }));
    const columns = (workspace.activeSource?.columns ?? []).filter(({ hidden }) => !hidden);
    return [
      ...of('Places by coordinates', placeOf(asked)),
      ...of('Sieves and sources', [
        ...matching(sieves, ({ name }) => name, asked).map(({ sieve, name }) => ({
          ...{ key: `sieve ${sieve.id}`, text: name, aside: 'sieve' },
          choose: () => workspace.openSieve(sieve.id),
        })),
        ...matching(workspace.ownSources, ({ name }) => name, asked).map((source) => ({
          ...{ key: `source ${source.id}`, text: source.name, aside: `${howMany(source)} features` },
          choose: () => workspace.openSource(source.id),
        })),
      ]),
      ...of(
        'Areas',
        matching(workspace.areas, ({ name }) => name, asked).map(({ id, name, shape }) => ({
          ...{ key: `area ${id}`, text: name, aside: 'show it on the map' },
          choose: () => show.look(shape),
        })),
      ),
      ...of(
        `Columns of ${workspace.activeSource?.name ?? ''}`,
        matching(columns, (column) => `${labelOf(column)} ${column.name}`, asked).map((column) => ({
          ...{ key: `column ${column.name}`, text: labelOf(column), aside: 'a condition on it' },
          choose: () => editing.addCondition(firstExpr(column)),
        })),
      ),
      ...of(
        'Codes',
        matching(
          columns.flatMap((column) => codesOf(column)),
          ({ meaning, code }) => `${meaning} ${code}`,
          asked,
        ).map(({ column, code, meaning }) => ({
          ...{ key: `code ${column.name} ${code}`, text: `${code} · ${meaning}`, aside: `keep this ${labelOf(column).toLowerCase()}` },
          choose: () => keepCode(column, code),
        })),
      ),
      ...of(
        'What can be done',
        matching(commands.value, (command) => command.text, asked),
      ),
    ];
  }

  /** The codes of a column with what they mean. */
  const codesOf = (column: ColumnInfo) =>
    (workspace.codeLists.find(({ id }) => id === column.codeList)?.entries ?? []).map(([code, meaning]) => ({ column, code, meaning }));
  function keepCode(column: ColumnInfo, code: string): void {
    const expr = exprOfExactly(column, column.type === 'number' ? Number(code) : code);
    if (expr !== null) editing.narrow(expr, 'keep a value');
  }

  /** Coordinates, a grid reference, or any other text that stands for a shape. */
  function placeOf(asked: string): Found[] {
    if (!/\d/.test(asked)) return [];
    try {
      const shape = readShape(asked, null);
      return [{ key: 'place', text: asked.trim(), aside: 'show it on the map', choose: () => show.look(seen(shape)) }];
    } catch {
      // It is no place; there is nothing else to say about that.
      return [];
    }
  }
  /** A point with enough round it to tell where it is. */
  const seen = (shape: AreaShape): AreaShape => ('type' in shape && shape.type === 'Point' ? buffer(shape, 150, 'm') : shape);

  async function featuresIn(source: SourceInfo, asked: string, signal: AbortSignal): Promise<FoundGroup[]> {
    const columns = source.columns.filter(({ hidden, type }) => !hidden && type === 'text').map(({ name }) => name);
    if (columns.length === 0) return [];
    const wanted = { text: asked.trim(), columns, from: 0, limit: MOST + 1 };
    const { found } = await api.search(source.id, { tree: emptyTree(), order: [], wanted }, signal);
    if (found.length === 0) return [];
    const label = (name: string) => source.columns.find((column) => column.name === name)!;
    return [
      {
        title: `Features of ${source.name}${found.length > MOST ? `, the first ${MOST}` : ''}`,
        found: found.slice(0, MOST).map((one) => ({
          key: `feature ${source.id} ${one.key}`,
          text: columnText(label(one.column), one.value),
          aside: labelOf(label(one.column)),
          choose: () => open(source, one),
        })),
      },
    ];
  }
  async function open(source: SourceInfo, { key }: FoundText): Promise<void> {
    if (workspace.activeSource?.id !== source.id) workspace.openSource(source.id);
    await nextTick();
    focus.show(key);
    focus.zoomTo();
  }

  async function placesOf(asked: string): Promise<FoundGroup[]> {
    const found = placesNamed(await cities(), asked, MOST_PLACES).map(({ name, within, lon, lat }, i) => ({
      key: `city ${i} ${name}`,
      text: name,
      aside: within,
      choose: () => show.look(buffer({ type: 'Point', coordinates: [lon, lat] }, 8, 'km')),
    }));
    const lands = matching(await countries(), ({ name }) => name, asked).map(({ name, shape }) => ({
      ...{ key: `country ${name}`, text: name, aside: 'country' },
      choose: () => show.look(shape),
    }));
    return [...of('Countries', lands), ...of('Cities', found)];
  }

  watch(text, async (asked) => {
    groups.value = atOnce(asked);
    busy.value = asked.trim().length >= 2;
    unsearched.value = 0;
    if (!busy.value) return;
    const active = workspace.activeSource;
    const all = workspace.ownSources.filter(({ id }) => id !== active?.id);
    const others = all.slice(0, MOST_SOURCES);
    unsearched.value = all.length - others.length;
    const found = await searching(async (signal) => {
      await new Promise((done) => setTimeout(done, WAIT));
      signal.throwIfAborted();
      const sources = active ? [active, ...others] : others;
      return (await Promise.all([...sources.map((source) => featuresIn(source, asked, signal)), placesOf(asked)])).flat();
    }).catch(notices.complain);
    if (text.value !== asked) return;
    busy.value = false;
    if (found) groups.value = [...atOnce(asked), ...found];
  });

  return { text, groups, busy, unsearched };
}
