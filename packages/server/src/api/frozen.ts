import { HTTPException } from 'hono/http-exception';
import { Feed, type SourceRow } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';

/** What has been published for good does not change. Throws an answer of 400 where it would. @param would as in "change with the column" */
export async function refuseFrozen(em: Entities, source: SourceRow, would: string): Promise<void> {
  const feeds = await em.find(Feed, { sieve: { source: source.id } });
  if (feeds.every(({ frozen }) => frozen === null)) return;
  throw new HTTPException(400, { message: `${source.name} has a frozen feed, which would ${would}; switch the feed off first` });
}
