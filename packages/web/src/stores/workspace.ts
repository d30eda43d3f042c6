import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  columnInWords,
  emptyTree,
  parseDate,
  staleMentions,
  treeInWords,
  valuesMentioned,
  type AreaShape,
  type AreaShapes,
  type Group,
  type Wording,
} from '@clean-sieve/core';
import type {
  AreaChange,
  AreaInfo,
  CodeListInfo,
  ColumnChange,
  ColumnInfo,
  SieveChange,
  SieveInfo,
  SourceInfo,
  WorkspaceState,
} from '@clean-sieve/server/api';
import { api } from '../api/client.ts';
import { columnText } from '../words/cells.ts';
import { PALETTE } from '../words/palette.ts';
import { useHistory } from './history.ts';
import { useNotices } from './notices.ts';

const SAVE_MILLIS = 250;

/** Sources, sieves and the as-of date, and which of them is worked on. Every change can be undone. */
export const useWorkspace = defineStore('workspace', () => {
  const history = useHistory();
  const notices = useNotices();
  const name = ref('');
  const asOf = ref<string | null>(null);
  const today = ref('');
  const sources = shallowRef<SourceInfo[]>([]);
  const sieves = shallowRef<SieveInfo[]>([]);
  const codeLists = shallowRef<CodeListInfo[]>([]);
  const areas = shallowRef<AreaInfo[]>([]);
  const loaded = ref(false);
  const activeSieveId = ref<number | null>(null);
  const activeSourceId = ref<number | null>(null);

  const activeSieve = computed(() => sieves.value.find((sieve) => sieve.id === activeSieveId.value) ?? null);
  const activeSource = computed(
    () => sources.value.find((source) => source.id === (activeSieve.value?.sourceId ?? activeSourceId.value)) ?? null,
  );
  const layers = computed(() => sources.value.filter((source) => source.role === 'layer'));
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
    const source = sources.value.find((candidate) => candidate.id === sieve.sourceId);
    const words = source ? treeInWords(sieve.tree, wording(source)) : '';
    return words === '' ? 'No conditions yet' : words[0].toUpperCase() + words.slice(1);
  }

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

  async function load(): Promise<void> {
    take(await api.workspace());
  }

  function take(state: WorkspaceState): void {
    codeLists.value = state.codeLists;
    areas.value = state.areas;
    name.value = state.name;
    asOf.value = state.asOf;
    today.value = state.today;
    sources.value = state.sources;
    sieves.value = state.sieves;
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

  const unsaved = new Map<number, SieveChange>();
  let saving: ReturnType<typeof setTimeout> | null = null;

  function put(id: number, change: SieveChange): void {
    sieves.value = sieves.value.map((sieve) => (sieve.id === id ? { ...sieve, ...change } : sieve));
    unsaved.set(id, { ...unsaved.get(id), ...change });
    saving ??= setTimeout(() => void save(), SAVE_MILLIS);
  }

  async function save(): Promise<void> {
    saving = null;
    const changes = [...unsaved];
    unsaved.clear();
    try {
      for (const [id, change] of changes) await api.changeSieve(id, change);
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Changes a sieve at once and saves it soon after. */
  function changeSieve(id: number, change: SieveChange, label: string, key?: string): void {
    const before = sieves.value.find((sieve) => sieve.id === id);
    if (!before) return;
    const old = Object.fromEntries(
      Object.keys(change).map((field) => [field, before[field as keyof SieveChange]]),
    ) as SieveChange;
    put(id, change);
    const reopen = (state: SieveChange) => () => {
      put(id, state);
      if (activeSieveId.value !== id) openSieve(id);
    };
    history.record({ label, key: key && `${id}:${key}`, undo: reopen(old), redo: reopen(change) });
  }

  async function addSieve(
    sourceId: number,
    tree: Group = emptyTree(),
    sieveName: string | null = null,
  ): Promise<SieveInfo | null> {
    const used = new Set(sieves.value.map((sieve) => sieve.colour));
    const colour = PALETTE.findIndex((_, i) => !used.has(i));
    try {
      const sieve = await api.addSieve({
        sourceId,
        name: sieveName,
        tree,
        colour: colour < 0 ? sieves.value.length % PALETTE.length : colour,
        visible: true,
      });
      sieves.value = [...sieves.value, sieve];
      openSieve(sieve.id);
      history.record({ label: 'new sieve', undo: () => dropSieve(sieve.id), redo: () => restoreSieve(sieve) });
      return sieve;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  async function dropSieve(id: number): Promise<void> {
    const sieve = sieves.value.find((candidate) => candidate.id === id);
    unsaved.delete(id);
    await api.removeSieve(id);
    sieves.value = sieves.value.filter((candidate) => candidate.id !== id);
    if (activeSieveId.value === id && sieve) openSource(sieve.sourceId);
  }

  async function restoreSieve(sieve: SieveInfo): Promise<void> {
    const restored = await api.addSieve(sieve);
    sieves.value = [...sieves.value, restored].sort((a, b) => a.id - b.id);
    openSieve(restored.id);
  }

  async function removeSieve(id: number): Promise<void> {
    const sieve = sieves.value.find((candidate) => candidate.id === id);
    if (!sieve) return;
    try {
      await dropSieve(id);
      history.record({ label: `remove ${nameOf(sieve)}`, undo: () => restoreSieve(sieve), redo: () => dropSieve(id) });
    } catch (error) {
      notices.complain(error);
    }
  }

  async function setAsOf(day: string | null): Promise<void> {
    const before = asOf.value;
    const apply = async (value: string | null) => {
      asOf.value = (await api.changeWorkspace({ asOf: value })).asOf;
    };
    try {
      await apply(day);
      history.record({ label: 'as-of date', undo: () => apply(before), redo: () => apply(day) });
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Shapes of the areas by their names. */
  const areaShapes = computed<AreaShapes>(() => new Map(areas.value.map((area) => [area.name, area.shape])));

  /** Adds a named area; can be undone. Throws when the name is taken. */
  async function addArea(areaName: string, shape: AreaShape): Promise<AreaInfo> {
    let area = await api.addArea({ name: areaName, shape });
    areas.value = [...areas.value, area];
    const drop = async () => {
      await api.removeArea(area.id);
      areas.value = areas.value.filter(({ id }) => id !== area.id);
    };
    const restore = async () => {
      area = await api.addArea({ name: areaName, shape });
      areas.value = [...areas.value, area];
    };
    history.record({ label: `new area ${areaName}`, undo: drop, redo: restore });
    return area;
  }

  /** Renames an area or gives it another shape; every condition that uses it follows. Can be undone. */
  async function changeArea(area: AreaInfo, change: AreaChange, key?: string): Promise<void> {
    const before: AreaChange = { ...(change.name === undefined ? {} : { name: area.name }), ...(change.shape ? { shape: area.shape } : {}) }; // prettier-ignore
    const put = async (state: AreaChange) => {
      await save();
      take(await api.changeArea(area.id, state));
    };
    await put(change);
    history.record({ label: `area ${change.name ?? area.name}`, key: key && `area:${area.id}:${key}`, undo: () => put(before), redo: () => put(change) }); // prettier-ignore
  }

  /** Removes an area that no condition uses; can be undone. */
  async function removeArea(area: AreaInfo): Promise<void> {
    await save();
    await api.removeArea(area.id);
    areas.value = areas.value.filter(({ id }) => id !== area.id);
    let restored: AreaInfo | null = null;
    history.record({
      label: `remove ${area.name}`,
      undo: async () => {
        restored = await api.addArea({ name: area.name, shape: area.shape });
        areas.value = [...areas.value, restored];
      },
      redo: async () => {
        if (restored) await api.removeArea(restored.id);
        areas.value = areas.value.filter(({ name: other }) => other !== area.name);
      },
    });
  }

  function putSource(source: SourceInfo): void {
    sources.value = sources.value.map((candidate) => (candidate.id === source.id ? source : candidate));
  }

  /** Changes how a column is shown; can be undone. */
  async function changeColumn(sourceId: number, column: ColumnInfo, change: ColumnChange): Promise<void> {
    const before = Object.fromEntries(
      Object.keys(change).map((field) => [field, column[field as keyof ColumnChange]]),
    ) as ColumnChange;
    const apply = async (state: ColumnChange) => putSource(await api.changeColumn(sourceId, column.name, state));
    try {
      await apply(change);
      history.record({ label: `column ${column.name}`, undo: () => apply(before), redo: () => apply(change) });
    } catch (error) {
      notices.complain(error);
    }
  }

  async function renameSource(id: number, newName: string): Promise<void> {
    putSource(await api.renameSource(id, newName));
  }

  async function removeSource(id: number): Promise<void> {
    await api.removeSource(id);
    sieves.value = sieves.value.filter((sieve) => sieve.sourceId !== id);
    sources.value = sources.value.filter((source) => source.id !== id);
    if (activeSource.value === null) {
      const next = layers.value[0];
      if (next) openSource(next.id);
      else activeSieveId.value = activeSourceId.value = null;
    }
  }

  return {
    ...{
      name,
      asOf,
      today,
      asOfDay,
      sources,
      layers,
      sieves,
      codeLists,
      areas,
      areaShapes,
      loaded,
      activeSieveId,
      activeSieve,
      activeSource,
      activeTree,
    },
    ...{
      load,
      take,
      meaningOf,
      shownOf,
      putSource,
      changeColumn,
      wording,
      nameOf,
      staleIn,
      renameSieve,
      openSieve,
      openSource,
      changeSieve,
      addSieve,
      removeSieve,
      addArea,
      changeArea,
      removeArea,
      setAsOf,
      renameSource,
      removeSource,
    },
  };
});
