import { HTTPException } from 'hono/http-exception';
import type { LiveSources } from '../fetching/live_sources.ts';
import type { FreshColumns } from '../jobs/fresh_columns.ts';
import type { Jobs } from '../jobs/job_service.ts';
import type { Log } from '../log.ts';
import type { AskOptions, SiftService } from '../sifting/sift_service.ts';
import { treesOf, type SiftAnswer, type SiftKind, type SiftQuestion } from '../sifting/sift_tasks.ts';
import { Source, type SourceRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { asOfDayFor } from '../workspace_state.ts';
import { id } from './ids.ts';

export interface Services {
  store: Store;
  /** Answers the interface. */
  sifting: SiftService;
  /** Answers whoever reads a feed. */
  published: SiftService;
  /** Answers what is asked of databases while somebody waits. */
  there: SiftService;
  jobs: Jobs;
  /** Keeps columns that hang on the as-of date or on other sources as of the day and of those. */
  fresh: FreshColumns;
  /** Has live sources asked before anything is answered from them. */
  live: LiveSources;
  log: Log;
  /** Folder for uploads under way and extracts. */
  files: string;
  /** Folder of the demo's files. */
  demo: string;
  /** Folder of the built interface. */
  interface: string;
}

/** Throws an answer of 404 unless there is such a source. */
export async function sourceOf(em: Entities, text: string): Promise<SourceRow> {
  const source = await em.findOne(Source, { id: id(text), role: { $ne: 'making' } }, { populate: ['columns'] });
  if (!source) throw noSource();
  return source;
}
const noSource = () => new HTTPException(404, { message: 'There is no such source' });

/** Puts a question about a source, by its number in the address, to the sifting thread of the interface. */
export async function askSource<K extends SiftKind>(
  { store, sifting, live }: Services,
  source: string,
  kind: K,
  question: SiftQuestion<K>,
  options?: AskOptions,
  thread = sifting,
): Promise<SiftAnswer<K>> {
  const sourceId = id(source);
  const asOf = await asOfDayFor(entities(store), sourceId);
  if (asOf === null) throw noSource();
  await live.ensure(sourceId, treesOf(question));
  return thread.ask(kind, { sourceId, asOf }, question, options);
}

/** Tells all sifting threads that something is no longer as they know it; readers of feeds, and databases, hold up nobody. */
async function tell({ sifting, published, there, log }: Services, news: 'forget' | 'areas', sourceId: number): Promise<void> {
  published.tell(news, sourceId).catch((error: unknown) => log.error('The thread of the feeds', error));
  there.tell(news, sourceId).catch((error: unknown) => log.error('The thread that asks databases', error));
  await sifting.tell(news, sourceId);
}
/** What hangs on the source's columns, in itself and in others, is looked at anew too. */
export const sourceChanged = (services: Services, sourceId: number): Promise<void> => {
  services.fresh.look();
  return tell(services, 'forget', sourceId);
};
export const areasChanged = (services: Services): Promise<void> => {
  services.fresh.look();
  return tell(services, 'areas', 0);
};
