import { amountBetween, numberOf, type Amount } from '@clean-sieve/core';
import type { SiftHead } from '@clean-sieve/server/api';
import { counted, share } from '../words/numbers.ts';

/** What the numbers at the rows of the stack tell: what is left there, kept by it alone, kept without it. */
export type SideNumbers = 'left' | 'alone' | 'without';

/** The number at the side of a row and what is beside it: what the row takes out, its share, what it costs; null for none. */
export function sideNumber(head: SiftHead, id: string, numbers: SideNumbers): { count: Amount; note: string } | null {
  const row = head.rows.find((one) => one.id === id);
  if (!row) return null;
  if (numbers === 'alone') return { count: row.alone, note: share(row.alone, head.total) };
  if (numbers === 'left') {
    const taken = amountBetween(row.reach, row.left);
    return { count: row.left, note: signed('−', taken) };
  }
  const kept = head.without[id] ?? head.kept;
  const between = amountBetween(kept, head.kept);
  const more = numberOf(between);
  if (more === null || more === 0) return { count: kept, note: between === 0 ? 'no more' : '' };
  const size = Math.abs(more);
  return { count: kept, note: signed(more > 0 ? '+' : '−', typeof between === 'number' ? size : { about: size }) };
}

/** How much more or less it is: the sign stands with the digits. */
function signed(sign: string, amount: Amount): string {
  if (amount === null) return '';
  return typeof amount === 'number' ? `${sign}${counted(amount)}` : `≈ ${sign}${counted(amount.about)}`;
}
