import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { referencesIn, type Group } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import type { AskRequest, JobState } from '../api/contract.ts';
import type { Jobs } from '../jobs/job_service.ts';
import { nameOperands } from '../sifting/named_operands.ts';
import { Feed, Sieve, Source, type SourceRow } from '../store/entities.ts';
import { heldFolder, holdOnly, liveIn } from '../store/held_answers.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { asOfDay } from '../workspace_state.ts';
import { keyFor } from './kept_keys.ts';
import { heldAs, nameOfPart, partsNeeded, type NearPart } from './near_parts.ts';

/** Milliseconds after which what did not answer is asked once more by itself. */
const REST = 60_000;
/** So many parts of sources are held that are near to others. */
const MOST_NEAR = 24;

/**
 * Live sources: their features are not stored. The first question about one has it asked by whom it comes from, and waits for the
 * answer; from then on that is what is answered from, until it is asked anew or the program ends.
 */
export class LiveSources {
  readonly #store: Store;
  readonly #jobs: Jobs;
  /** Path of the workspace's database. */
  readonly #database: string;
  readonly #changed: (sourceId: number) => Promise<void>;
  readonly #unasked: Set<number>;
  readonly #underWay = new Map<number, Promise<JobState>>();
  readonly #failed = new Map<number, { at: number; why: string }>();
  /** Folders of the answers that are coming. */
  readonly #coming = new Set<string>();
  /** What is held of what is near to others, by its name, that asked for last at the end, with the answer that it goes with. */
  readonly #near = new Map<string, string | null>();
  readonly #nearUnderWay = new Map<string, JobState>();
  readonly #nearFailed = new Map<string, { at: number; why: string }>();

  private constructor(store: Store, jobs: Jobs, database: string, changed: (sourceId: number) => Promise<void>, unasked: number[]) {
    [this.#store, this.#jobs, this.#database, this.#changed] = [store, jobs, database, changed];
    this.#unasked = new Set(unasked);
  }

  /** @param changed told of each source that has other features now */
  static async of(store: Store, jobs: Jobs, database: string, changed: (sourceId: number) => Promise<void>): Promise<LiveSources> {
    const unasked = (await liveIn(entities(store))).filter(({ fetchedFrom }) => fetchedFrom?.live?.held === null);
    return new LiveSources(
      store,
      jobs,
      database,
      changed,
      unasked.map(({ id }) => id),
    );
  }

  /**
   * Asks a source anew; where that is being done already, it is not done twice.
   * @param otherwise what it is asked for from now on. Throws an answer of 409 where it is being asked for something else.
   */
  ask(source: SourceRow, otherwise: AskRequest = {}): Promise<JobState> {
    const { id: sourceId } = source;
    const known = this.#underWay.get(sourceId);
    if (known && Object.keys(otherwise).length > 0)
      throw new HTTPException(409, { message: `${source.name} is being asked just now; wait until it has answered, or cancel that` });
    if (known) return known;
    this.#failed.delete(sourceId);
    const begun = this.#start(source, otherwise);
    this.#underWay.set(sourceId, begun);
    void begun
      .then(({ id }) => this.#jobs.settled(id))
      .then(({ state, error }) => {
        if (state !== 'done') this.#failed.set(sourceId, { at: Date.now(), why: error?.replace(/\.$/, '') ?? 'it was cancelled' });
      })
      .catch((error: Error) => this.#failed.set(sourceId, { at: Date.now(), why: error.message }))
      .finally(() => this.#underWay.delete(sourceId));
    return begun;
  }

  async #start({ id: sourceId, name, fetchedFrom }: SourceRow, otherwise: AskRequest): Promise<JobState> {
    const em = entities(this.#store);
    const coming = `coming-${randomUUID()}`;
    this.#coming.add(coming);
    const folder = join(heldFolder(this.#database), coming);
    const task = { sourceId, otherwise, key: await keyFor(em, new URL(fetchedFrom!.address)), folder, asOf: await asOfDay(em) };
    return this.#jobs.start(`Asking for ${name}`, { kind: 'ask', ...task }, async (result) => {
      this.#coming.delete(coming);
      await rm(folder, { recursive: true, force: true });
      if (!result) return this.letGo();
      this.#unasked.delete(sourceId);
      await this.#changed(sourceId);
      await this.letGo();
    });
  }

  /** Lets go of answers that belong to no source any more. */
  async letGo(): Promise<void> {
    const em = entities(this.#store);
    const held = (await liveIn(em)).flatMap(({ fetchedFrom }) => fetchedFrom?.live?.held ?? []);
    for (const [name, answer] of this.#near) if (answer === null || !held.includes(answer)) this.#near.delete(name);
    await holdOnly(this.#database, new Set([...held, ...this.#coming, ...this.#near.keys()]));
  }

  /** What of sources is being asked for at the moment, as far as it is near to others. */
  nearUnderWay(): JobState[] {
    return [...this.#nearUnderWay.values()];
  }
  /** What of sources is near to others and could not be had is asked for by the next question about it. */
  forgetFailed(): void {
    this.#nearFailed.clear();
  }

  /**
   * Resolves when there is an answer of a source, and of those that trees by identity speak of; of what is not live there is one
   * always. Throws an answer of 503 where it cannot be had.
   */
  async ensure(sourceId: number, trees: readonly Group[] = []): Promise<void> {
    const em = entities(this.#store);
    if (this.#unasked.size > 0)
      for (const id of await sourcesBehind(em, sourceId, trees)) if (this.#unasked.has(id)) await this.#ensure(em, id);
    // Every question comes by here: of most there is nothing to look up.
    if (!trees.some(speaksOfOthers)) return;
    const asOf = await asOfDay(em);
    for (const part of await partsNeeded(em, sourceId, trees, asOf)) await this.#ensureNear(em, part, asOf);
  }

  /** The same of all that a feed is about. */
  async ensureFeed(id: string): Promise<void> {
    const feed = await entities(this.#store).findOne(Feed, { id }, { populate: ['sieve'] });
    if (feed) await this.ensure(feed.sieve.source.id, [feed.sieve.tree]);
  }

  async #ensure(em: Entities, sourceId: number): Promise<void> {
    const source = await em.findOne(Source, { id: sourceId });
    if (!source) return;
    const cannot = (why: string) => new HTTPException(503, { message: `${source.name} is a live source, and could not be asked: ${why}` });
    const failed = this.#failed.get(sourceId);
    if (failed && Date.now() - failed.at < REST) throw cannot(failed.why);
    const { id } = await this.ask(source);
    const { state, error } = await this.#jobs.settled(id);
    if (state !== 'done') throw cannot(error?.replace(/\.$/, '') ?? 'it was cancelled');
  }

  /** Resolves when what is near to another source is held. Throws an answer of 503 where it cannot be had. */
  async #ensureNear(em: Entities, part: NearPart, asOf: number): Promise<void> {
    const there = await heldAs(em, part);
    if (there !== null) return this.#keep(there, part);
    const { source, by } = part;
    const name = nameOfPart(part);
    const cannot = (why: string) =>
      new HTTPException(503, { message: `What of ${source.name} is near to ${by} could not be asked for: ${why.replace(/\.$/, '')}` });
    const failed = this.#nearFailed.get(name);
    if (failed && Date.now() - failed.at < REST) throw cannot(failed.why);
    this.#nearFailed.delete(name);
    const job = this.#nearUnderWay.get(name) ?? this.#startNear(part, name, asOf);
    const { state, error } = await this.#jobs.settled(job.id);
    if (state === 'done') return;
    const why = error ?? 'it was cancelled';
    this.#nearFailed.set(name, { at: Date.now(), why });
    throw cannot(why);
  }

  #startNear(part: NearPart, held: string, asOf: number): JobState {
    const { source, by, expr, boxes, metres } = part;
    const task = { sourceId: source.id, expr, boxes, metres, held, asOf };
    this.#keep(held, part);
    const job = this.#jobs.start(`Asking for what of ${source.name} is near to ${by}`, { kind: 'near', ...task }, async (result) => {
      this.#nearUnderWay.delete(held);
      if (!result) this.#near.delete(held);
      await this.letGo();
    });
    this.#nearUnderWay.set(held, job);
    return job;
  }

  /** Keeps what is held of what is near, and lets go of what was not asked for longest where there is too much. */
  #keep(name: string, { source }: NearPart): void {
    this.#near.delete(name);
    this.#near.set(name, source.fetchedFrom?.live?.held ?? null);
    for (const [oldest] of this.#near) if (this.#near.size > MOST_NEAR && !this.#nearUnderWay.has(oldest)) this.#near.delete(oldest);
  }
}

/** Whether a tree speaks of other sources or sieves, by identity or by name. */
const speaksOfOthers = (tree: Group): boolean => referencesIn(tree).length > 0 || nameOperands([tree]);

/** A source with those that trees speak of, and the trees of the sieves in them. */
async function sourcesBehind(em: Entities, sourceId: number, trees: readonly Group[]): Promise<ReadonlySet<number>> {
  const sources = new Set([sourceId]);
  const sieves = new Set<number>();
  const look = async (tree: Group): Promise<void> => {
    for (const { op, id } of referencesIn(tree)) {
      if (op === 'SOURCE') sources.add(id);
      if (op !== 'SIEVE' || sieves.has(id)) continue;
      sieves.add(id);
      const sieve = await em.findOne(Sieve, { id });
      if (!sieve) continue;
      sources.add(sieve.source.id);
      await look(sieve.tree);
    }
  };
  for (const tree of trees) await look(tree);
  return sources;
}
