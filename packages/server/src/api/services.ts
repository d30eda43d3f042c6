import { HTTPException } from 'hono/http-exception';
import type { Jobs } from '../jobs/jobs.ts';
import type { Log } from '../log.ts';
import type { AskOptions, SiftService } from '../sifting/sift_service.ts';
import { NO_SOURCE, type SiftAnswer, type SiftKind, type SiftQuestion } from '../sifting/tasks.ts';
import { Source, type SourceRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { asOfDay } from '../workspace.ts';
import { id } from './ids.ts';

export interface Services {
  store: Store;
  /** Answers the interface. */
  sifting: SiftService;
  /** Answers whoever reads a feed. */
  published: SiftService;
  jobs: Jobs;
  log: Log;
  /** Folder for uploads under way and extracts. */
  files: string;
  /** Folder of the built interface. */
  interface: string;
}

/** Throws an answer of 404 unless there is such a source. */
export async function sourceOf(em: Entities, text: string): Promise<SourceRow> {
  const source = await em.findOne(Source, { id: id(text), role: { $ne: 'making' } }, { populate: ['columns'] });
  if (!source) throw new HTTPException(404, { message: 'There is no such source' });
  return source;
}

/** Puts a question about a source, by its number in the address, to the sifting thread of the interface. */
export async function askSource<K extends SiftKind>(
  { store, sifting }: Services,
  source: string,
  kind: K,
  question: SiftQuestion<K>,
  options?: AskOptions,
): Promise<SiftAnswer<K>> {
  const em = entities(store);
  const about = { sourceId: (await sourceOf(em, source)).id, asOf: await asOfDay(em) };
  return sifting.ask(kind, about, question, options);
}

/** Tells both sifting threads that something is no longer as they know it; readers of feeds hold up nobody. */
async function tell({ sifting, published, log }: Services, news: 'forget' | 'areas', sourceId: number): Promise<void> {
  const about = { ...NO_SOURCE, sourceId };
  published.ask(news, about, null).catch((error: unknown) => log.error('The thread of the feeds', error));
  await sifting.ask(news, about, null);
}
export const sourceChanged = (services: Services, sourceId: number): Promise<void> => tell(services, 'forget', sourceId);
export const areasChanged = (services: Services): Promise<void> => tell(services, 'areas', 0);
