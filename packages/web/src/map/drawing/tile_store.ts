import { unpackTile, type DisplayTile } from '@clean-sieve/core/display/tile_bytes';
import type { MapFrame, Pass } from './paint.ts';
import type { TileInView } from './tiles_in_view.ts';

/** Bytes of tiles that are kept, beside those that are needed just now. */
const MOST_BYTES = 192 * 2 ** 20;
/** Requests under way at once. */
const AT_ONCE = 6;

interface Kept {
  tile: DisplayTile;
  bytes: number;
}

type TileAt = Pick<TileInView, 'z' | 'x' | 'y'> & Pick<MapFrame, 'plane'>;

/** Fetches a tile of a source; null where there is none any more. */
export type FetchTile = (sourceId: number, at: TileAt, signal: AbortSignal) => Promise<Uint8Array | null>;

type Wanted = TileAt & Pick<Pass, 'sourceId' | 'state'>;
const keyOf = ({ sourceId, state, plane, z, x, y }: Wanted) => `${sourceId} ${state} ${plane} ${z} ${x} ${y}`;
const EMPTY: DisplayTile = {
  ...{
    pointRows: new Uint32Array(0),
    pointXy: new Int16Array(0),
    dotRows: new Uint32Array(0),
    dotXy: new Int16Array(0),
  },
  ...{ partRows: new Uint32Array(0), partKinds: new Uint8Array(0), partRings: new Uint32Array(1) },
  ...{ ringVertices: new Uint32Array(1), xy: new Int16Array(0) },
};

/** The tiles of all sources, as far as they have been needed; the oldest are dropped when they take too much memory. */
export class TileStore {
  readonly #fetch: FetchTile;
  readonly #changed: () => void;
  readonly #complain: (error: unknown) => void;
  readonly #kept = new Map<string, Kept>();
  readonly #under = new Map<string, AbortController>();
  #queue: Wanted[] = [];
  #bytes = 0;

  /** @param changed called whenever a wanted tile has arrived */
  constructor(fetch: FetchTile, changed: () => void, complain: (error: unknown) => void) {
    [this.#fetch, this.#changed, this.#complain] = [fetch, changed, complain];
  }

  /** Says what is needed now: the rest is given up, and dropped if there is no room. */
  want(wanted: readonly Wanted[]): void {
    const keys = new Set(wanted.map(keyOf));
    for (const [key, request] of this.#under) if (!keys.has(key)) request.abort();
    for (const key of keys) {
      const kept = this.#kept.get(key);
      if (!kept) continue;
      // What is used now is the last to be dropped.
      this.#kept.delete(key);
      this.#kept.set(key, kept);
    }
    for (const [key, { bytes }] of this.#kept) {
      if (this.#bytes <= MOST_BYTES || keys.has(key)) break;
      this.#kept.delete(key);
      this.#bytes -= bytes;
    }
    const seen = new Set<string>();
    this.#queue = wanted.filter((one) => {
      const key = keyOf(one);
      if (this.#kept.has(key) || seen.has(key)) return false;
      seen.add(key);
      return true;
    });
    this.#next();
  }

  /** Null until it has arrived. */
  get(wanted: Wanted): DisplayTile | null {
    return this.#kept.get(keyOf(wanted))?.tile ?? null;
  }

  get bytes(): number {
    return this.#bytes;
  }

  #next(): void {
    while (this.#under.size < AT_ONCE) {
      const one = this.#queue.find((wanted) => !this.#under.has(keyOf(wanted)));
      if (!one) return;
      this.#queue.splice(this.#queue.indexOf(one), 1);
      void this.#load(one);
    }
  }

  async #load(one: Wanted): Promise<void> {
    const key = keyOf(one);
    const request = new AbortController();
    this.#under.set(key, request);
    try {
      const bytes = await this.#fetch(one.sourceId, one, request.signal);
      this.#kept.set(key, { tile: bytes ? unpackTile(bytes) : EMPTY, bytes: bytes?.length ?? 0 });
      this.#bytes += bytes?.length ?? 0;
      this.#changed();
    } catch (error) {
      if (!request.signal.aborted) this.#complain(error);
    } finally {
      if (this.#under.get(key) === request) this.#under.delete(key);
      this.#next();
    }
  }
}
