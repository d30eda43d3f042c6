import { EMPTY_TILE, unpackTile, type DisplayTile } from '@clean-sieve/core/display/tile_bytes';
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

/** Of which features a tile is. */
export type TileOf = Pick<Pass, 'sourceId' | 'state' | 'ofAll'>;
type Wanted = TileAt & TileOf;

/** Fetches a tile; null where there is no such source any more. */
export type FetchTile = (wanted: Wanted, signal: AbortSignal) => Promise<Uint8Array | null>;

const keyOf = ({ sourceId, state, ofAll, plane, z, x, y }: Wanted) => `${sourceId} ${state} ${plane} ${z} ${x} ${y} ${ofAll ?? ''}`;

/** The tiles of all sources, as far as they have been needed; the oldest are dropped when they take too much memory. */
export class TileStore {
  readonly #fetch: FetchTile;
  readonly #changed: () => void;
  readonly #complain: (error: unknown, ofAll: string | null) => void;
  readonly #kept = new Map<string, Kept>();
  readonly #under = new Map<string, AbortController>();
  #queue: Wanted[] = [];
  #bytes = 0;

  /** @param changed called whenever a wanted tile has arrived */
  constructor(fetch: FetchTile, changed: () => void, complain: (error: unknown, ofAll: string | null) => void) {
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
      // What was under way when it was wanted again has come meanwhile, or still comes.
      const at = this.#queue.findIndex((wanted) => !this.#under.has(keyOf(wanted)));
      if (at < 0) return;
      const [one] = this.#queue.splice(at, 1);
      if (this.#kept.has(keyOf(one))) continue;
      void this.#load(one);
    }
  }

  async #load(one: Wanted): Promise<void> {
    const key = keyOf(one);
    const request = new AbortController();
    this.#under.set(key, request);
    try {
      const bytes = await this.#fetch(one, request.signal);
      this.#kept.set(key, { tile: bytes ? unpackTile(bytes) : EMPTY_TILE, bytes: bytes?.length ?? 0 });
      this.#bytes += bytes?.length ?? 0;
      this.#changed();
    } catch (error) {
      if (!request.signal.aborted) this.#complain(error, one.ofAll);
    } finally {
      if (this.#under.get(key) === request) this.#under.delete(key);
      this.#next();
    }
  }
}
