import { CRS84, Geos, LocalEngine, sampledOf, Sifter, type FeatureTable } from '@clean-sieve/core';
import { heldAs, loadPart, type NearPart } from '../fetching/near_parts.ts';
import { feedSystems } from '../feeds/params.ts';
import { once } from '../once.ts';
import { Source } from '../store/entities.ts';
import { entities, openStore, type Entities, type ThreadData } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { WriteTurn } from '../store/write_turn.ts';
import { areaShapes } from '../workspace_state.ts';
import type { Opened } from './named_operands.ts';

/** So many sources are open at once, those last asked of. */
const MOST = 12;
/** And so many parts of others, near to them. */
const MOST_NEAR = 4;

export interface OpenSource {
  table: FeatureTable;
  /** Features that there are elsewhere, of which these are a sample; null where they are all. */
  sampledOf: number | null;
  /** Another one whenever the source is opened anew. */
  state: string;
  /** Of the as-of day asked about last. */
  asked: { asOf: number; sifter: Sifter; engine: LocalEngine } | null;
}

/** What a sifting thread holds: opened sources with what they remember, the areas, and the geometry engine. */
export class OpenSources {
  readonly geos = once(() => Geos.open());
  readonly areas = once(async () => areaShapes(await this.entities()));
  readonly #store;
  readonly #open = new Map<number, OpenSource>();
  /** By the name that the part is held by, and the as-of day. */
  readonly #near = new Map<string, Opened>();
  #loads = 0;

  constructor({ database, turn }: ThreadData) {
    this.#store = once(() => openStore(database, { migrate: false, turn: new WriteTurn(turn) }));
  }

  async entities(): Promise<Entities> {
    return entities(await this.#store.get());
  }

  async get(sourceId: number): Promise<OpenSource> {
    let source = this.#open.get(sourceId);
    if (source) this.#open.delete(sourceId);
    else {
      const em = await this.entities();
      const table = await loadTable(em, sourceId, undefined, true);
      const { fetchedFrom } = await em.findOneOrFail(Source, { id: sourceId });
      source = { table, sampledOf: sampledOf(fetchedFrom ?? null), state: String(++this.#loads), asked: null };
      if (this.#open.size >= MOST) this.#open.delete(this.#open.keys().next().value!);
    }
    this.#open.set(sourceId, source);
    return source;
  }

  /** What of a source of which a sample is held is near enough to another one to matter. Throws a FilterError where that is not held. */
  async near(part: NearPart, asOf: number): Promise<Opened> {
    const name = await heldAs(await this.entities(), part);
    const key = `${name} ${asOf}`;
    let opened = name === null ? undefined : this.#near.get(key);
    if (!opened) {
      const { table, state, told } = await loadPart(await this.entities(), part);
      opened = { sifter: new Sifter(table, asOf, CRS84, await this.geos.get()), state, near: told };
      if (this.#near.size >= MOST_NEAR) this.#near.delete(this.#near.keys().next().value!);
    }
    this.#near.delete(key);
    this.#near.set(key, opened);
    return opened;
  }

  forget(sourceId: number): void {
    this.#open.delete(sourceId);
    this.#near.clear();
  }

  /** What answers of the source on an as-of day; both remember what they were asked. */
  async answering(source: OpenSource, asOf: number): Promise<{ sifter: Sifter; engine: LocalEngine }> {
    if (source.asked?.asOf !== asOf) {
      const sifter = new Sifter(source.table, asOf, CRS84, await this.geos.get());
      sifter.systems = feedSystems(source.table.crs).map(({ crs }) => crs);
      source.asked = { asOf, sifter, engine: new LocalEngine(sifter) };
    }
    return source.asked;
  }
}
