import { dayInWords, type DecidedBy } from '@clean-sieve/core';
import type { ServiceCollection, ServiceLook } from '@clean-sieve/server/api';
import { counted } from '../words/numbers.ts';

/** Where a condition is decided, as its mark and as the words beside it. */
export function whereDecided(by: DecidedBy, kind: 'service' | 'database'): { mark: string; words: string } {
  return {
    there: { mark: 'there', words: `the ${kind} leaves the others out` },
    both: { mark: 'there + here', words: 'it leaves most others out; what comes is sifted here' },
    here: { mark: 'here', words: 'it cannot be asked that; what comes is sifted here' },
  }[by];
}

/** How much would come, and what is kept of it, as far as that can be told before. */
export function wouldCome({ matched, all, conditions, stack }: ServiceLook): { count: string; words: string } {
  const would = all === null ? 'would come' : `of ${counted(all)} would come`;
  if (matched === null)
    return { count: 'An unknown number', words: `${all === null ? 'of features ' : ''}${would}: the service does not say how many` };
  if (all === 0) return { count: 'Nothing', words: 'is in it' };
  if (matched === 0) return { count: 'None', words: would };
  if (conditions.length === 0)
    return { count: counted(matched), words: matched === 1 ? 'feature would come' : 'features would come, all there are' };
  const exact = conditions.every(({ by }) => by === 'there');
  if (exact) return { count: counted(matched), words: would };
  const kept = stack && stack.kept !== null ? `${counted(stack.kept)} are kept` : 'fewer are kept: the rest is decided here';
  return { count: counted(matched), words: `${would}, of which ${kept}` };
}

/** The period of a collection, of which either end may be open. */
export function periodInWords(period: ServiceCollection['period']): string | null {
  if (!period) return null;
  const [from, to] = period.map((end) => (end === null ? null : dayInWords(end.slice(0, 10))));
  return from && to ? `${from} to ${to}` : from ? `since ${from}` : `until ${to}`;
}
