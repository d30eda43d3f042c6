import { CRS84, Geos, Sifter, type FeatureTable, type ShownMatch } from '@clean-sieve/core';
import { feedSystems } from '../feeds/params.ts';
import { once } from '../once.ts';
import { entities, openStore, type Entities, type ThreadData } from '../store/store.ts';
import { loadTable } from '../store/table_store.ts';
import { WriteTurn } from '../store/write_turn.ts';
import { areaShapes } from '../workspace.ts';

/** So many sources are open at once, those last asked of. */
const MOST = 12;

export interface OpenSource {
  table: FeatureTable;
  /** Another one whenever the source is opened anew. */
  state: string;
  sifters: Map<number, Sifter>;
  /** The last order of rows asked for, so that scrolling does not sort again. */
  sorted: { key: string; rows: Uint32Array } | null;
  /** The last columns that conditions showed. */
  matched: { key: string; columns: ShownMatch[] } | null;
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
      const table = await loadTable(await this.entities(), sourceId);
      source = { table, state: String(++this.#loads), sifters: new Map(), sorted: null, matched: null };
      if (this.#open.size >= MOST) this.#open.delete(this.#open.keys().next().value!);
    }
    this.#open.set(sourceId, source);
    return source;
  }

  forget(sourceId: number): void {
    this.#open.delete(sourceId);
  }

  /** A sifter of the source on an as-of day; it remembers what it was asked. */
  async sifterOf(source: OpenSource, asOf: number): Promise<Sifter> {
    let sifter = source.sifters.get(asOf);
    if (!sifter) {
      sifter = new Sifter(source.table, asOf, CRS84, await this.geos.get());
      sifter.systems = feedSystems(source.table.crs).map(({ crs }) => crs);
      source.sifters.clear();
      source.sifters.set(asOf, sifter);
    }
    return sifter;
  }
}
