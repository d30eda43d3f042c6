import { referencesIn, type Group, type Reference } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import { Sieve, type SieveRow } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';

/** Refuses what would leave conditions about nothing. */
export async function notUsed(
  manager: Entities,
  problem: string,
  uses: (tree: Group) => boolean,
  except: (sieve: SieveRow) => boolean = () => false,
): Promise<void> {
  const users = (await manager.find(Sieve, {}, { populate: ['source'] })).filter((sieve) => !except(sieve) && uses(sieve.tree));
  if (users.length === 0) return;
  const names = users.map((sieve) => sieve.name ?? `an unnamed sieve of ${sieve.source.name}`);
  throw new HTTPException(400, { message: `${problem} by ${names.join(', ')}; take it out of the conditions first` });
}
/** Whether a tree speaks of an area, a source or a sieve. */
export const isAbout = (wanted: Reference) => (tree: Group) =>
  referencesIn(tree).some(({ op, id }) => op === wanted.op && id === wanted.id);
