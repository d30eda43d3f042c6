import { Source, type SourceRow } from './entities.ts';
import type { Entities } from './store.ts';

/** The version of a source that came in at a time, whether it is the one in use or not; null when it is gone. */
export function versionTaken(em: Entities, { id, versionOf }: SourceRow, takenAt: string): Promise<SourceRow | null> {
  const family = versionOf ?? id;
  return em.findOne(Source, { takenAt, $or: [{ id: family }, { versionOf: family }] }, { populate: ['columns'] });
}
