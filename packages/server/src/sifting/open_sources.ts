import { CRS84, Geos, LocalEngine, sampledOf, Sifter, type FeatureTable } from '@clean-sieve/core';
import { feedSystems } from '../feeds/params.ts';
import { once } from '../once.ts';
import { Source } from '../store/entities.ts';
import { entities, openStore, type Entities, type ThreadData } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { WriteTurn } from '../store/write_turn.ts';
import { areaShapes } from '../workspace_state.ts';

/** So many sources are open at once, those last asked of. */
const MOST = 12;

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

  forget(sourceId: number): void {
    this.#open.delete(sourceId);
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
