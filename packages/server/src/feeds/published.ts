import {
  activeConditions,
  formatDay,
  named,
  propertiesIn,
  sentenceOf,
  type ColumnSchema,
  type Group,
  type Wording,
} from '@clean-sieve/core';
import { CodeList, Feed, type FrozenFeed, type SieveRow, type SourceRow } from '../store/entities.ts';
import type { SiftService } from '../sifting/sift_service.ts';
import type { Entities } from '../store/store.ts';
import { versionTaken } from '../store/version_taken.ts';
import { asOfDay, directory, wordingOf } from '../workspace_state.ts';
import { feedSystems, type FeedCrs } from './params.ts';

/** A feed with the source that its features are of. */
export interface PublishedFeed {
  id: string;
  /** Identifier of its one collection. */
  collection: string;
  title: string;
  description: string;
  source: SourceRow;
  /** Columns that it gives: those that are not hidden. */
  columns: SourceRow['columns'] extends { getItems(): (infer C)[] } ? C[] : never;
  systems: FeedCrs[];
  asOf: number;
  tree: Group;
  /** Its features for good, a bit each in base64; null where it follows the sieve. */
  rows: string | null;
}

/** Columns as filters know them. */
export const schemasOf = (columns: PublishedFeed['columns']): ColumnSchema[] => columns.map(({ name, type }) => ({ name, type }));

/** Why a feed cannot be given, with the HTTP status that says so. */
export class NoFeed extends Error {
  readonly status: 404 | 410;
  constructor(status: 404 | 410, message: string) {
    super(message);
    this.status = status;
  }
}

/** Looks up a feed by the part of its link that cannot be guessed. Throws NoFeed. */
export async function publishedFeed(em: Entities, id: string): Promise<PublishedFeed> {
  const feed = await em.findOne(Feed, { id }, { populate: ['sieve', 'sieve.source', 'sieve.source.columns'] });
  if (!feed) throw new NoFeed(404, 'There is no feed at this link; it may have been switched off');
  const { sieve, frozen } = feed;
  const source = frozen ? await versionTaken(em, sieve.source, frozen.takenAt) : sieve.source;
  if (!source) throw new NoFeed(410, 'The version of the source that this feed was frozen with is gone');
  const asOf = await asOfDay(em);
  const codeLists = await em.find(CodeList, {});
  const wording = wordingOf(source, codeLists, asOf);
  const tree = named(sieve.tree, await directory(em));
  const told = toldOf(source, tree, wording);
  const sentence = told.isWhole ? (frozen?.sentence ?? told.sentence) : told.sentence;
  // One that had no name was frozen by its sentence.
  const title = (told.isWhole ? frozen?.name : undefined) ?? sieve.name ?? sentence;
  const state = frozen
    ? `Frozen on ${feed.madeAt.slice(0, 10)}: it does not follow later changes.`
    : `Live: it follows its sieve and its source${askedAt(source)}; relative dates count from ${formatDay(asOf)}.`;
  return {
    id,
    collection: feed.collection,
    title,
    description: `${sentence}. ${state}`,
    source,
    columns: source.columns
      .getItems()
      .filter(({ hidden }) => !hidden)
      .sort((a, b) => a.ordinal - b.ordinal),
    systems: feedSystems(source.crs),
    asOf,
    tree,
    rows: frozen?.rows ?? null,
  };
}

/** When the features came, where they are those of somebody else. */
function askedAt({ fetchedFrom }: SourceRow): string {
  if (!fetchedFrom?.live) return '';
  const [day, time] = fetchedFrom.askedAt.split('T');
  return `, which was asked on ${day} at ${time.slice(0, 5)} UTC`;
}

/** What a sieve keeps just now, to be published for good. */
export async function frozenFeed(em: Entities, sifting: SiftService, sieve: SieveRow): Promise<FrozenFeed> {
  const { source } = sieve;
  const tree = named(sieve.tree, await directory(em));
  const asOf = await asOfDay(em);
  const { rows, kept } = await sifting.ask('kept', { sourceId: source.id, asOf }, { tree });
  const wording = wordingOf(source, await em.find(CodeList, {}), asOf);
  const { sentence } = toldOf(source, tree, wording);
  return { takenAt: source.takenAt, rows, kept, name: sieve.name ?? sentence, sentence };
}

/** What a feed says of its conditions. Those on columns that it does not give are not told either. */
function toldOf(source: SourceRow, tree: Group, wording: Wording): { sentence: string; isWhole: boolean } {
  const hidden = new Set(source.columns.getItems().flatMap(({ name, hidden: isHidden }) => (isHidden ? [name] : [])));
  const isWhole = !activeConditions(tree).some(({ expr }) => propertiesIn(expr).some((name) => hidden.has(name)));
  const sentence = isWhole
    ? sentenceOf(source.name, tree, wording)
        .map(({ text }) => text)
        .join('')
    : `${source.name}, by conditions of which some are not told`;
  return { sentence, isWhole };
}
