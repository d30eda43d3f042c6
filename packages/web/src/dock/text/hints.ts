import {
  emptyTree,
  FilterError,
  layOutFilter,
  parseFilter,
  treeOfExpr,
  twoReadings,
  type Finding,
  type Fix,
  type Group,
  type TwoReadings,
  type Amount,
} from '@clean-sieve/core';
import { counted } from '../../words/numbers.ts';
import { placesOf } from './keeping_text.ts';

/** What is wrong, or probably not meant, at a place of the text, and what one click does about it. */
export interface Hint {
  from: number;
  to: number;
  severity: 'error' | 'warning';
  message: string;
  fixes: { label: string; replace?: { from: number; to: number; insert: string }; mend?: Fix }[];
}

export function hintOfError(error: FilterError, length: number): Hint {
  const from = Math.min(error.span?.from ?? 0, Math.max(0, length - 1));
  const to = Math.min(Math.max(error.span?.to ?? length, from + 1), length);
  const { replacement, span } = error;
  const fixes =
    replacement === null || !span
      ? []
      : [{ label: replacement === '' ? 'leave it out' : `write ${replacement}`, replace: { ...span, insert: replacement } }];
  return { from, to, severity: 'error', message: error.line, fixes };
}

/** The stack's findings at their places in a text that says the same as its tree. */
export function hintsOfFindings(text: string, tree: Group, findings: Finding[]): Hint[] {
  const places = new Map(placesOf(text, tree).map(({ id, span }) => [id, span]));
  return findings.flatMap(({ id, kind, message, fix }): Hint[] => {
    const span = places.get(id);
    if (!span || kind === 'blanks-out') return [];
    return [{ ...span, severity: 'warning', message, fixes: fix ? [{ label: fix.label, mend: fix }] : [] }];
  });
}

/** Places where AND and OR stand side by side without brackets. */
export function mixedIn(text: string): TwoReadings[] {
  try {
    return text.trim() === '' ? [] : twoReadings(parseFilter(text));
  } catch (error) {
    if (error instanceof FilterError) return [];
    throw error;
  }
}

/** Trees of both readings of a place, to be counted. */
export function treesOf({ andFirst, orFirst }: TwoReadings): Group[] {
  let id = 0;
  return [andFirst, orFirst].map((expr) => treeOfExpr(expr, emptyTree(), () => `r${id++}`));
}

/** @param kept how many features each reading keeps; null while not known */
export function hintOfReadings(text: string, { span, andFirst, orFirst }: TwoReadings, kept: Amount[] | null): Hint {
  const count = (i: number) => (kept ? ` · ${counted(kept[i])} kept` : '');
  const fix = (expr: TwoReadings['andFirst'], words: string, i: number) => ({
    label: `${words}${count(i)}`,
    replace: { from: 0, to: text.length, insert: layOutFilter(expr) },
  });
  return {
    ...span,
    severity: 'warning',
    message: 'AND and OR stand side by side without brackets: AND is taken first, which not every reader expects.',
    fixes: [fix(andFirst, 'brackets round AND', 0), fix(orFirst, 'brackets round OR', 1)],
  };
}
