import { dayInWords } from '@clean-sieve/core';
import type { NearTold } from '@clean-sieve/server/api';
import { counted, plural } from '../words/numbers.ts';

/**
 * When a live source was asked, by the clock of whoever looks at it.
 * @param askedAt ISO 8601
 * @param today ISO day; of another day the day is said
 */
export function answeredInWords(askedAt: string, today: string): string {
  const at = new Date(askedAt);
  const two = (part: number) => String(part).padStart(2, '0');
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `asked ${day === today ? 'today' : `on ${dayInWords(day)}`} at ${two(at.getHours())}:${two(at.getMinutes())}`;
}

/** What was asked for of a source of which a sample is held, because it is near to another one. */
export function nearInWords({ source, features, metres, by, remarks }: NearTold): string {
  const where = metres > 0 ? `the extent of ${by} and ${counted(metres)} m round it` : `the extent of ${by}`;
  return [`Of ${source} a sample is held. Here counts all of it in ${where}: ${plural(features, 'feature')}.`, ...remarks].join(' ');
}
