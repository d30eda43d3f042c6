import type { SourceInfo } from '@clean-sieve/server/api';

/** What was there where the new says the same, so that nothing is asked and drawn again for it, and nothing half filled in is lost. */
export const unlessSame = <T>(old: T, now: T): T => (JSON.stringify(old) === JSON.stringify(now) ? old : now);

/** The sources as they are now: those that have not changed, and of the others the columns that have not, are the objects that they were. */
export function unlessSameSources(old: SourceInfo[], now: SourceInfo[]): SourceInfo[] {
  const before = new Map(old.map((source) => [source.id, source]));
  const next = now.map((source) => {
    const was = before.get(source.id);
    if (!was) return source;
    const columns = new Map(was.columns.map((column) => [column.name, column]));
    return unlessSame(was, { ...source, columns: source.columns.map((one) => unlessSame(columns.get(one.name) ?? one, one)) });
  });
  return next.length === old.length && next.every((source, i) => source === old[i]) ? old : next;
}
