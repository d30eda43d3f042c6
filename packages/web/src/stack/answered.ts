import { dayInWords } from '@clean-sieve/core';

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
