import { formatDay, type Derivation } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import type { SiftService } from '../sifting/sift_service.ts';
import { Source, SourceColumn, type SourceRow } from '../store/entities.ts';
import { entities, type Store } from '../store/store.ts';
import { IN_USE } from '../store/table_store.ts';
import { asOfDay } from '../workspace_state.ts';
import { ColumnStates, isFromElsewhere } from './column_states.ts';
import type { Jobs } from './job_service.ts';

/**
 * Computed columns that hang on the as-of date are stored as of a day, joined ones of a state of the source that they are from.
 * Before anything is answered from them they are made anew where that is another one by now: the person has chosen another day, it is
 * past midnight, the other source has a newer version.
 */
export class FreshColumns {
  readonly #store: Store;
  readonly #jobs: Jobs;
  readonly #threads: readonly SiftService[];
  /** The day that all are known to be of, but for figures by zones that nobody has asked for since; null where that is not known. */
  #known: { asOf: number; left: ReadonlySet<number> } | null = null;
  /** Goes up whenever columns change. */
  #changes = 0;
  #underWay: Promise<void> | null = null;

  /** @param threads what has opened sources, and has to open them anew */
  constructor(store: Store, jobs: Jobs, threads: readonly SiftService[]) {
    [this.#store, this.#jobs, this.#threads] = [store, jobs, threads];
  }

  /** Columns have changed: whether they are of the day has to be looked at again. */
  look(): void {
    this.#changes++;
    this.#known = null;
  }

  /**
   * Resolves when all are of the day, and of what they are made from. Throws an answer where one cannot be made.
   * @param sourceId what is asked about: figures by the zones of others are not waited for unless something there hangs on them;
   * null: everything
   */
  async ensure(sourceId: number | null = null): Promise<void> {
    // What has changed meanwhile is looked at once more.
    while (!(await this.#isFresh(sourceId))) {
      this.#underWay ??= this.#makeAnew(sourceId).finally(() => (this.#underWay = null));
      await this.#underWay;
    }
  }

  async #isFresh(sourceId: number | null): Promise<boolean> {
    if (this.#known?.asOf !== (await asOfDay(entities(this.#store)))) return false;
    const { left } = this.#known;
    return sourceId === null ? left.size === 0 : !left.has(sourceId);
  }

  async #makeAnew(sourceId: number | null): Promise<void> {
    const em = entities(this.#store);
    const asOf = await asOfDay(em);
    const changes = this.#changes;
    const left = new Set<number>();
    // What is made from what is made anew follows in the next round; what goes round in a circle was refused.
    const rounds = await em.count(Source, IN_USE);
    for (let round = 0; round <= rounds; round++) {
      left.clear();
      const wanted: SourceRow[] = [];
      for (const { source, canWait } of await this.#withOldColumns(asOf))
        if (sourceId !== null && source.id !== sourceId && canWait) left.add(source.id);
        else wanted.push(source);
      if (wanted.length === 0) break;
      for (const source of wanted) await this.#refresh(source, asOf);
    }
    if (this.#changes === changes) this.#known = { asOf, left };
  }

  /**
   * Sources in use that have columns of another day, or of another state of what they are made from. It can wait where only figures by
   * its zones are, and nothing hangs on them.
   */
  async #withOldColumns(asOf: number): Promise<{ source: SourceRow; canWait: boolean }[]> {
    const em = entities(this.#store);
    const derived = await em.find(SourceColumn, { derivation: { $ne: null }, source: IN_USE }, { populate: ['source'] });
    const states = derived.some(({ derivation }) => isFromElsewhere(derivation)) ? await ColumnStates.of(em, asOf) : null;
    const isOld = (derivation: Derivation) =>
      derivation.kind === 'computed'
        ? derivation.asOf !== null && derivation.behind === undefined && derivation.asOf !== formatDay(asOf)
        : isFromElsewhere(derivation) && states !== null && states.isBehind(derivation);
    // Those of a live source that has not been asked are made with its answer.
    const isThere = ({ fetchedFrom }: Pick<SourceRow, 'fetchedFrom'>) => fetchedFrom?.live?.held !== null;
    const old = derived.filter(({ derivation, source }) => derivation && isOld(derivation) && isThere(source as SourceRow));
    return [...new Set(old.map(({ source }) => source as SourceRow))].map((source) => ({
      source,
      canWait:
        old.every((one) => one.source.id !== source.id || one.derivation?.kind === 'zoned') &&
        states?.isAskedElsewhere(source.id) === false,
    }));
  }

  async #refresh({ id: sourceId, name }: SourceRow, asOf: number): Promise<void> {
    const { id } = this.#jobs.start(`Bringing columns of ${name} up to date, as of ${formatDay(asOf)}`, {
      kind: 'refresh',
      sourceId,
      asOf,
    });
    const { state, error } = await this.#jobs.settled(id);
    if (state !== 'done') {
      throw new HTTPException(503, {
        message: `The columns of ${name} that hang on the as-of date or on other sources could not be computed: ${error ?? 'it was cancelled'}`,
      });
    }
    for (const thread of this.#threads) await thread.tell('forget', sourceId);
  }
}
