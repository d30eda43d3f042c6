import { bareText } from '@clean-sieve/core';

/** Something that was found, and what choosing it does. */
export interface Found {
  key: string;
  text: string;
  /** What it is, in a few words beside it. */
  aside: string;
  choose: () => void | Promise<void>;
}

/** What was found of one kind. */
export interface FoundGroup {
  title: string;
  found: Found[];
}

/**
 * Those whose text holds every word asked for, whatever their case, accents and order: what begins with the first word comes
 * first, otherwise they stay as they stand.
 */
export function matching<T>(all: readonly T[], textOf: (one: T) => string, asked: string): T[] {
  const words = bareText(asked).split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const hits = all.map((one) => ({ one, text: bareText(textOf(one)) })).filter(({ text }) => words.every((word) => text.includes(word)));
  const first = hits.filter(({ text }) => text.startsWith(words[0]));
  return [...first, ...hits.filter((hit) => !first.includes(hit))].map(({ one }) => one);
}
