import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  columnInWords,
  emptyTree,
  exprKey,
  directoryOf,
  identified,
  idOf,
  named,
  parseDate,
  staleMentions,
  treeInWords,
  valuesMentioned,
  type AreaShape,
  type AreaShapes,
  type CheckOptions,
  type Directory,
  type Group,
  type OperandNames,
  type Wording,
  type FeatureKey,
  type Selection,
} from '@clean-sieve/core';
import type {
  AreaChange,
  AreaInfo,
  CodeListInfo,
  FeedInfo,
  ColumnChange,
  ColumnInfo,
  SieveChange,
  SieveInfo,
  SourceInfo,
  WorkspaceState,
} from '@clean-sieve/server/api';
import { api, ApiError, ConflictError, ElsewhereError } from '../api/client.ts';
import { columnText } from '../words/cells.ts';
import { PALETTE } from '../words/palette.ts';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';
import { unlessSame, unlessSameSources } from './unless_same.ts';

const SAVE_MILLIS = 250;
/** What could not be saved is tried again after this long. */
const AGAIN_MILLIS = 5000;

const namesIn = (directory: Directory) => JSON.stringify(Object.values(directory).map((names) => [...names]));

/** Sources, sieves and the as-of date, and which of them is worked on. Every change can be undone. */
export const useWorkspace = defineStore('workspace', () => {
  const history = useHistory();
  const notices = useNotices();
  const name = ref('');
  const asOf = ref<string | null>(null);
  const today = ref('');
  const sources = shallowRef<SourceInfo[]>([]);
  /** As they are kept: what their conditions are about by its identity. */
  const stored = shallowRef<SieveInfo[]>([]);
  const codeLists = shallowRef<CodeListInfo[]>([]);
  const feeds = shallowRef<FeedInfo[]>([]);
  /** Where others reach the feeds; null: at the address of this page. */
  const feedsAt = ref<string | null>(null);
  /** Address of the simulated service of the demo, where it runs. */
  const simulatedAt = ref<string | null>(null);
  const areas = shallowRef<AreaInfo[]>([]);
  const loaded = ref(false);
  const activeSieveId = ref<number | null>(null);
  const activeSourceId = ref<number | null>(null);

  const directory = computed<Directory>((old) => {
    const now = directoryOf({ AREA: areas.value, SOURCE: ownSources.value, SIEVE: stored.value });
    return old && namesIn(old) === namesIn(now) ? old : now;
  });
  const shown = new WeakMap<SieveInfo, { by: Directory; sieve: SieveInfo }>();
  /** A sieve with its conditions by names, as words and texts have them; the same object as long as nothing of it changes. */
  function byNames(sieve: SieveInfo): SieveInfo {
    const before = shown.get(sieve);
    if (before?.by === directory.value) return before.sieve;
    const tree = named(sieve.tree, directory.value);
    const now = tree === sieve.tree ? sieve : before && exprKey(before.sieve.tree) === exprKey(tree) ? before.sieve : { ...sieve, tree };
    shown.set(sieve, { by: directory.value, sieve: now });
    return now;
  }
  /** The sieves as they are shown, with conditions by names. */
  const sieves = computed(() => stored.value.map(byNames));
  /** A change as it is kept. */
  const byIdentity = <T extends { tree?: Group }>(change: T): T =>
    change.tree ? { ...change, tree: identified(change.tree, directory.value) } : change;

  const activeSieve = computed(() => sieves.value.find((sieve) => sieve.id === activeSieveId.value) ?? null);
  const activeSource = computed(
    () => sources.value.find((source) => source.id === (activeSieve.value?.sourceId ?? activeSourceId.value)) ?? null,
  );
  const ownSources = computed(() => sources.value.filter((source) => source.role === 'layer'));
  /** Conditions at work: those of the active sieve, or none when a source as a whole is looked at. */
  const activeTree = computed<Group>(() => activeSieve.value?.tree ?? emptyTree());
  const asOfDay = computed(() => (loaded.value ? parseDate(asOf.value ?? today.value)!.day : 0));

  const meanings = computed(() => new Map(codeLists.value.map(({ id, entries }) => [id, new Map(entries)])));
  /** What a code means by the column's code list; undefined when there is no list or the list does not have it. */
  function meaningOf(column: ColumnInfo, value: string | number | boolean): string | undefined {
    return column.codeList === null ? undefined : meanings.value.get(column.codeList)?.get(String(value));
  }

  /** A value as it stands in table and card: by its column's type, with its meaning. */
  function shownOf(column: ColumnInfo, value: string | number | boolean): string {
    const meaning = meaningOf(column, value);
    return meaning === undefined ? columnText(column, value) : `${columnText(column, value)} · ${meaning}`;
  }

  function wording(source: SourceInfo): Wording {
    const columnNamed = (name: string) => source.columns.find((column) => column.name === name);
    return {
      columns: source.columns,
      asOf: asOfDay.value,
      points: Object.keys(source.geometryTypes).every((type) => /Point$/.test(type)),
      label: (name) => columnNamed(name)?.title ?? columnInWords(name),
      meaning(name, value) {
        const column = columnNamed(name);
        return column && meaningOf(column, value);
      },
    };
  }

  /** A sieve's own name, or its conditions in words. */
  function nameOf(sieve: SieveInfo): string {
    if (sieve.name !== null) return sieve.name;
    return readsAs(sieve) + (alike.value.get(sieve.id) ?? '');
  }
  function readsAs(sieve: SieveInfo): string {
    const source = sources.value.find((candidate) => candidate.id === sieve.sourceId);
    const words = source ? treeInWords(sieve.tree, wording(source)) : '';
    return words === '' ? 'No conditions yet' : words[0].toUpperCase() + words.slice(1);
  }
  /** What is added to the names of sieves of one source that read as an earlier one does, as two of drawn areas. */
  const alike = computed(() => {
    const seen = new Map<string, number>();
    return new Map(
      sieves.value.flatMap((sieve) => {
        if (sieve.name !== null) return [];
        const key = `${sieve.sourceId} ${readsAs(sieve)}`;
        const number = (seen.get(key) ?? 0) + 1;
        seen.set(key, number);
        return number === 1 ? [] : [[sieve.id, ` (${number})`] as const];
      }),
    );
  });

  /** Values that a sieve's own name mentions and its conditions no longer have. */
  function staleIn(sieve: SieveInfo): string[] {
    const source = sources.value.find((candidate) => candidate.id === sieve.sourceId);
    return sieve.name === null || !source ? [] : staleMentions(sieve.mentions, sieve.tree, wording(source));
  }

  /** Names a sieve; null lets its conditions name it. */
  function renameSieve(id: number, newName: string | null): void {
    const sieve = sieves.value.find((candidate) => candidate.id === id);
    const source = sources.value.find((candidate) => candidate.id === sieve?.sourceId);
    if (!sieve || !source) return;
    const mentions = newName === null ? [] : valuesMentioned(newName, sieve.tree, wording(source));
    changeSieve(id, { name: newName, mentions }, 'rename');
  }

  /** @param figures whether figures by zones are waited for until they are of the present */
  async function load(figures = false): Promise<void> {
    take(await api.workspace(figures));
  }

  /** Shows what other windows have changed, unless something of this one is on its way. @param figures as of `load` */
  async function refresh(figures = false): Promise<void> {
    await save();
    if (unsaved.size > 0 || conflict.value) return;
    try {
      await load(figures);
    } catch (error) {
      notices.complain(error);
    }
  }

  function take(state: WorkspaceState): void {
    codeLists.value = unlessSame(codeLists.value, state.codeLists);
    feeds.value = unlessSame(feeds.value, state.feeds);
    feedsAt.value = state.feedsAt;
    simulatedAt.value = state.simulatedAt;
    areas.value = unlessSame(areas.value, state.areas);
    name.value = state.name;
    asOf.value = state.asOf;
    today.value = state.today;
    sources.value = unlessSameSources(sources.value, state.sources);
    stored.value = state.sieves.map((sieve) => ({ ...sieve, ...unsaved.get(sieve.id) }));
    for (const { id, version } of state.sieves) versions.set(id, version);
    loaded.value = true;
  }

  function openSieve(id: number): void {
    activeSieveId.value = id;
    activeSourceId.value = activeSieve.value?.sourceId ?? null;
  }

  function openSource(id: number): void {
    activeSieveId.value = null;
    activeSourceId.value = id;
  }

  /** The version of each sieve that the server has told last, which changes are made from. */
  const versions = new Map<number, number>();
  /** A change of this window that met another one: what it was, and what the sieve has become. */
  const met = shallowRef<{ mine: SieveChange; theirs: SieveInfo } | null>(null);
  const conflict = computed(() => {
    if (!met.value) return null;
    const { mine, theirs } = met.value;
    const tree = mine.tree && named(mine.tree, directory.value);
    return { mine: { ...mine, ...(tree ? { tree } : {}) }, theirs: byNames(theirs) };
  });
  const unsaved = new Map<number, SieveChange>();
  let saving: ReturnType<typeof setTimeout> | null = null;

  /** @param change as it is kept */
  function put(id: number, change: SieveChange): void {
    show(id, change);
    unsaved.set(id, { ...unsaved.get(id), ...change });
    saving ??= setTimeout(() => void save(), SAVE_MILLIS);
  }

  function show(id: number, change: Partial<SieveInfo>): void {
    stored.value = stored.value.map((sieve) => (sieve.id === id ? { ...sieve, ...change } : sieve));
  }

  let underWay: Promise<void> = Promise.resolve();

  /** Resolves when everything changed so far is saved, or was refused and said so. */
  function save(): Promise<void> {
    if (saving) clearTimeout(saving);
    saving = null;
    underWay = underWay.then(async () => {
      for (const id of [...unsaved.keys()]) await saveOne(id);
    });
    return underWay;
  }

  /** What cannot be sent just now stays unsaved and is sent again; what is refused is told, and does not hold up the rest. */
  async function saveOne(id: number): Promise<void> {
    const change = unsaved.get(id);
    if (!change || met.value?.theirs.id === id) return;
    unsaved.delete(id);
    try {
      versions.set(id, (await api.changeSieve(id, change, versions.get(id))).version);
    } catch (error) {
      if (error instanceof ConflictError) met.value = { mine: { ...change, ...unsaved.get(id) }, theirs: error.current };
      else {
        notices.complain(error);
        const isLater = !(error instanceof ApiError) || error.status === null || error.status >= 500;
        if (isLater) {
          unsaved.set(id, { ...change, ...unsaved.get(id) });
          saving ??= setTimeout(() => void save(), AGAIN_MILLIS);
        } else await load().catch(notices.complain);
      }
    }
  }

  /** Ends a conflict: with what the other window made, with what this one made, or with this one's as a sieve of its own. */
  async function settleConflict(which: 'theirs' | 'mine' | 'both'): Promise<void> {
    if (!met.value) return;
    const { mine, theirs } = met.value;
    const change = { ...mine, ...unsaved.get(theirs.id) };
    unsaved.delete(theirs.id);
    met.value = null;
    versions.set(theirs.id, theirs.version);
    const own = stored.value.find((sieve) => sieve.id === theirs.id);
    show(theirs.id, theirs);
    if (which === 'mine') changeSieve(theirs.id, change, 'keep mine');
    if (which === 'both' && own) await addSieve(own.sourceId, change.tree ?? own.tree, change.name ? freeSieveName(change.name) : null);
  }

  /** Names of the sources and sieves that conditions can speak of. */
  const operandNames = computed<OperandNames>(() => ({
    sources: [...directory.value.SOURCE.values()],
    sieves: [...directory.value.SIEVE.values()],
  }));

  /** What filters of the workspace are checked against, beside the columns. */
  const checkOptions = computed<CheckOptions>(() => ({ areas: areaShapes.value, operands: operandNames.value }));

  /** The name of a sieve for conditions; one that is named by its conditions keeps what it is called now. */
  async function namedSieve(id: number): Promise<string> {
    const sieve = sieves.value.find((candidate) => candidate.id === id)!;
    if (sieve.name === null) {
      renameSieve(id, freeSieveName(nameOf(sieve)));
      await save();
    }
    return directory.value.SIEVE.get(id)!;
  }
  /** The sieve that conditions mean by a name. */
  function sieveOfName(wanted: string): SieveInfo | undefined {
    const about = idOf(directory.value.SIEVE, wanted);
    return sieves.value.find(({ id }) => id === about);
  }

  function freeSieveName(wanted: string): string {
    const taken = new Set(operandNames.value.sieves);
    const short = wanted.length > 190 ? `${wanted.slice(0, 189)}…` : wanted;
    for (let i = 1; ; i++) {
      const candidate = i === 1 ? short : `${short} ${i}`;
      if (!taken.has(candidate)) return candidate;
    }
  }

  /** Changes a sieve at once and saves it soon after. */
  function changeSieve(id: number, wanted: SieveChange, label: string, key?: string): void {
    const before = stored.value.find((sieve) => sieve.id === id);
    if (!before) return;
    const change = byIdentity(wanted);
    const old = Object.fromEntries(Object.keys(change).map((field) => [field, before[field as keyof SieveChange]])) as SieveChange;
    put(id, change);
    const reopen = (state: SieveChange) => () => {
      put(id, state);
      if (activeSieveId.value !== id) openSieve(id);
    };
    history.record({ label, key: key && `${id}:${key}`, undo: reopen(old), redo: reopen(change) });
  }

  /** The sieve that is being made over a source, and what its conditions have become meanwhile. */
  let beginning: { sourceId: number; newest: Group; done: Promise<unknown> } | null = null;

  /** Puts conditions to work: in the active sieve, or in a new one over the active source; what comes while that is being made replaces them. */
  function putTree(tree: Group, label: string, key?: string): void {
    const [sieve, source] = [activeSieve.value, activeSource.value];
    if (sieve) return changeSieve(sieve.id, { tree }, label, key);
    if (!source) return;
    if (beginning?.sourceId === source.id) {
      beginning.newest = tree;
      return;
    }
    begin(source.id, tree);
  }

  function begin(sourceId: number, tree: Group): void {
    const own = (beginning = { sourceId, newest: tree, done: Promise.resolve<unknown>(null) });
    own.done = addSieve(sourceId, tree, null, () => own.newest).finally(() => (beginning = null));
  }

  /** Begins a sieve over a source; what is put to work meanwhile is in it. */
  async function newSieve(sourceId: number): Promise<void> {
    await settled();
    openSource(sourceId);
    begin(sourceId, emptyTree());
    await settled();
  }

  /** Resolves when no sieve is being made any more. */
  async function settled(): Promise<void> {
    await beginning?.done;
  }

  /** @param newest what the tree has become when the sieve is there */
  async function addSieve(
    sourceId: number,
    tree: Group = emptyTree(),
    sieveName: string | null = null,
    newest: () => Group = () => tree,
  ): Promise<SieveInfo | null> {
    const used = new Set(sieves.value.map((sieve) => sieve.colour));
    const colour = PALETTE.findIndex((_, i) => !used.has(i));
    try {
      const made = await api.addSieve({
        sourceId,
        name: sieveName,
        tree: byIdentity({ tree }).tree,
        colour: colour < 0 ? sieves.value.length % PALETTE.length : colour,
        visible: true,
        view: sources.value.find(({ id }) => id === sourceId)?.view ?? null,
      });
      versions.set(made.id, made.version);
      const sieve = byIdentity({ ...made, tree: newest() });
      stored.value = [...stored.value, sieve];
      if (newest() !== tree) put(sieve.id, { tree: sieve.tree });
      openSieve(sieve.id);
      history.record({ label: 'new sieve', undo: () => dropSieve(sieve.id), redo: () => restoreSieve(sieve) });
      return sieve;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  async function dropSieve(id: number): Promise<void> {
    const sieve = stored.value.find((candidate) => candidate.id === id);
    unsaved.delete(id);
    await api.removeSieve(id);
    stored.value = stored.value.filter((candidate) => candidate.id !== id);
    if (activeSieveId.value === id && sieve) openSource(sieve.sourceId);
  }

  async function restoreSieve(sieve: SieveInfo): Promise<void> {
    const restored = await api.addSieve(sieve);
    versions.set(restored.id, restored.version);
    stored.value = [...stored.value, restored].sort((a, b) => a.id - b.id);
    feeds.value = (await api.workspace()).feeds;
    openSieve(restored.id);
  }

  async function removeSieve(id: number): Promise<void> {
    const sieve = stored.value.find((candidate) => candidate.id === id);
    if (!sieve) return;
    const label = `remove ${nameOf(byNames(sieve))}`;
    try {
      await dropSieve(id);
      history.record({ label, undo: () => restoreSieve(sieve), redo: () => dropSieve(id) });
    } catch (error) {
      notices.complain(error);
    }
  }

  /**
   * Changes what other windows can change too; can be undone. Where one of them has, that is shown, and the change offered once
   * more.
   * @param now how it is in this window, at least in what changes
   */
  async function changeShared<T extends object>(
    entry: { label: string; key?: string },
    now: () => T,
    change: T,
    send: (state: T, from: T | undefined) => Promise<void>,
  ): Promise<void> {
    const shown = () => Object.fromEntries(Object.keys(change).map((field) => [field, now()[field as keyof T]])) as T;
    const put = (state: T, checked = true) => send(state, checked ? shown() : undefined);
    const make = async (checked: boolean) => {
      const before = shown();
      await put(change, checked);
      history.record({ ...entry, undo: () => put(before), redo: () => put(change) });
    };
    try {
      await make(true);
    } catch (error) {
      if (!(error instanceof ElsewhereError)) throw error;
      await load();
      notices.offer(`${error.message}. It is shown as it is now.`, 'Use mine', () => make(false));
    }
  }

  async function setAsOf(day: string | null): Promise<void> {
    try {
      await changeShared(
        { label: 'as-of date' },
        () => ({ asOf: asOf.value }),
        { asOf: day },
        async (change, from) => {
          await api.changeWorkspace(change, from);
          // Columns that hang on it are others by now.
          await load();
        },
      );
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Shapes of the areas by their names. */
  const areaShapes = computed<AreaShapes>(() => new Map(areas.value.map((area) => [area.name, area.shape])));

  /** Adds a named area; can be undone. Throws when the name is taken. */
  async function addArea(areaName: string, shape: AreaShape): Promise<AreaInfo> {
    const { repaired, ...added } = await api.addArea({ name: areaName, shape });
    const area: AreaInfo = added;
    areas.value = [...areas.value, area];
    if (repaired) notices.say(`The shape of ${areaName} was not valid (${repaired}); it now covers the same ground as a valid one.`);
    const drop = async () => {
      await api.removeArea(area.id);
      areas.value = areas.value.filter(({ id }) => id !== area.id);
    };
    const restore = async () => {
      await api.addArea(area);
      areas.value = [...areas.value, area];
    };
    history.record({ label: `new area ${areaName}`, undo: drop, redo: restore });
    return area;
  }

  /** A name for a source that no other has. */
  function freeSourceName(wanted: string): string {
    const taken = new Set(operandNames.value.sources);
    for (let i = 1; ; i++) {
      const candidate = i === 1 ? wanted.slice(0, 190) : `${wanted.slice(0, 190)} ${i}`;
      if (!taken.has(candidate)) return candidate;
    }
  }

  /** A name for an area that no other has. */
  function freeAreaName(wanted: string): string {
    for (let i = 1; ; i++) {
      const candidate = i === 1 ? wanted.slice(0, 190) : `${wanted.slice(0, 190)} ${i}`;
      if (!areaShapes.value.has(candidate)) return candidate;
    }
  }

  /** Makes an area of some features, as they are now. */
  async function areaOfFeatures(sourceId: number, selection: Selection, wanted: string): Promise<AreaInfo | null> {
    try {
      const { shape } = await api.shapeOf(sourceId, selection);
      const area = await addArea(freeAreaName(wanted), shape);
      notices.say(`${area.name} is an area now; it stays as it is.`);
      return area;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  /** Adds the shape of one feature to an area. */
  async function addToArea(area: AreaInfo, sourceId: number, key: FeatureKey): Promise<void> {
    if ('op' in area.shape) return;
    try {
      const { shape } = await api.shapeOf(sourceId, { tree: emptyTree(), among: [key] });
      await changeArea(area, { shape: { type: 'GeometryCollection', geometries: [area.shape, shape] } });
      notices.say(`${area.name} has this feature too now.`);
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Renames an area or gives it another shape; every condition that uses it follows. Can be undone. */
  async function changeArea(area: AreaInfo, change: AreaChange, key?: string): Promise<void> {
    const entry = { label: `area ${change.name ?? area.name}`, key: key && `area:${area.id}:${key}` };
    const now = (): AreaChange => areas.value.find(({ id }) => id === area.id) ?? area;
    await changeShared(entry, now, change, async (state, from) => {
      await save();
      await api.changeArea(area.id, state, from);
      await load();
    });
  }

  /** Removes an area that no condition uses; can be undone. */
  async function removeArea(area: AreaInfo): Promise<void> {
    await save();
    await api.removeArea(area.id);
    areas.value = areas.value.filter(({ id }) => id !== area.id);
    history.record({
      label: `remove ${area.name}`,
      undo: async () => {
        await api.addArea(area);
        areas.value = [...areas.value, area];
      },
      redo: async () => {
        await api.removeArea(area.id);
        areas.value = areas.value.filter(({ id }) => id !== area.id);
      },
    });
  }

  function putSource(source: SourceInfo): void {
    sources.value = sources.value.map((candidate) => (candidate.id === source.id ? source : candidate));
  }

  /** Draws a source as part of the ground, or over it like others; can be undone. */
  async function drawBelow({ id, name: what }: SourceInfo, below: boolean): Promise<void> {
    const put = async (wanted: boolean) => putSource(await api.changeSource(id, { below: wanted }));
    try {
      await put(below);
      history.record({ label: below ? `${what} as ground` : `${what} over the ground`, undo: () => put(!below), redo: () => put(below) });
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Changes how a column is shown; can be undone. */
  async function changeColumn(sourceId: number, column: ColumnInfo, change: ColumnChange): Promise<void> {
    const now = (): ColumnChange =>
      sources.value.find(({ id }) => id === sourceId)?.columns.find(({ name: one }) => one === column.name) ?? column;
    try {
      await changeShared({ label: `column ${column.name}` }, now, change, async (state, from) =>
        putSource(await api.changeColumn(sourceId, column.name, state, from)),
      );
    } catch (error) {
      notices.complain(error);
    }
  }

  async function renameSource(id: number, newName: string): Promise<void> {
    await save();
    putSource(await api.renameSource(id, newName));
  }

  async function removeSource(id: number): Promise<void> {
    await api.removeSource(id);
    stored.value = stored.value.filter((sieve) => sieve.sourceId !== id);
    sources.value = sources.value.filter((source) => source.id !== id);
    if (activeSource.value === null) {
      const next = ownSources.value[0];
      if (next) openSource(next.id);
      else activeSieveId.value = activeSourceId.value = null;
    }
  }

  return {
    byIdentity,
    ...{
      name,
      asOf,
      today,
      asOfDay,
      sources,
      ownSources,
      sieves,
      codeLists,
      feeds,
      feedsAt,
      simulatedAt,
      areas,
      areaShapes,
      operandNames,
      checkOptions,
      loaded,
      activeSieveId,
      activeSieve,
      activeSource,
      activeTree,
      conflict,
    },
    ...{
      load,
      take,
      meaningOf,
      shownOf,
      putSource,
      changeColumn,
      drawBelow,
      wording,
      nameOf,
      staleIn,
      renameSieve,
      openSieve,
      openSource,
      changeSieve,
      settleConflict,
      refresh,
      addSieve,
      newSieve,
      putTree,
      settled,
      save,
      namedSieve,
      sieveOfName,
      removeSieve,
      addArea,
      freeAreaName,
      freeSourceName,
      areaOfFeatures,
      addToArea,
      changeArea,
      removeArea,
      setAsOf,
      renameSource,
      removeSource,
    },
  };
});
