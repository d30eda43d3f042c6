import { DatePattern, FilterError, FIRST_YEAR, type TypedDerivation } from '@clean-sieve/core';

/** How a text column is read, as it is filled in. */
export interface ReadDraft {
  as: TypedDerivation['as'];
  decimal: TypedDerivation['decimal'];
  unit: string;
  units: { text: string; times: string }[];
  /** Of dates: the usual ways with the day or the month first, or a pattern. */
  written: 'dmy' | 'mdy' | 'pattern';
  pattern: string;
  firstYear: number;
  /** Of yes and no: words of one's own, parted by commas. */
  ownWords: boolean;
  yes: string;
  no: string;
  /** Texts that are read as another one, or left blank. */
  instead: Map<string, string>;
}

/** The form of a derivation that is there; of null one to begin with. */
export function draftOf(derivation: TypedDerivation | null): ReadDraft {
  return {
    as: derivation?.as ?? 'number',
    decimal: derivation?.decimal ?? 'point',
    unit: derivation?.unit ?? '',
    units: (derivation?.units ?? []).map((one) => ({ ...one })),
    written: derivation?.pattern !== undefined ? 'pattern' : (derivation?.order ?? 'dmy'),
    pattern: derivation?.pattern ?? 'd.M.yyyy',
    firstYear: derivation?.firstYear ?? FIRST_YEAR,
    ownWords: derivation?.words !== undefined,
    yes: derivation?.words?.yes.join(', ') ?? '',
    no: derivation?.words?.no.join(', ') ?? '',
    instead: new Map(derivation?.instead),
  };
}

const isOfDates = ({ as }: ReadDraft) => as === 'date' || as === 'datetime';
/** Whether dates are read by a pattern that has years of two digits; not while it is none. */
export function hasShortYears(draft: ReadDraft): boolean {
  if (!isOfDates(draft) || draft.written !== 'pattern') return false;
  try {
    return new DatePattern(draft.pattern).hasShortYears;
  } catch (error) {
    if (error instanceof FilterError) return false;
    throw error;
  }
}

const wordsIn = (text: string): string[] =>
  text
    .split(',')
    .map((word) => word.trim())
    .filter((word) => word !== '');

/** The derivation that a form says: only what is of its type. @param from the text column */
export function derivationOf(draft: ReadDraft, from: string): TypedDerivation {
  const { as, decimal, unit, units, written, pattern, firstYear, instead } = draft;
  const named = units.map(({ text, times }) => ({ text: text.trim(), times: times.trim() })).filter(({ text }) => text !== '');
  return {
    ...{ kind: 'typed', from, as },
    decimal: as === 'number' ? decimal : 'point',
    order: isOfDates(draft) && written === 'mdy' ? 'mdy' : 'dmy',
    ...(as === 'number' && unit.trim() !== '' && { unit: unit.trim() }),
    ...(as === 'number' && named.length > 0 && { units: named }),
    ...(isOfDates(draft) && written === 'pattern' && { pattern: pattern.trim() }),
    ...(hasShortYears(draft) && { firstYear }),
    ...(as === 'boolean' && draft.ownWords && { words: { yes: wordsIn(draft.yes), no: wordsIn(draft.no) } }),
    ...(instead.size > 0 && { instead: [...instead] }),
  };
}

/**
 * Pairs of a list as it is pasted: a text and what is read instead in each line, parted by a tab, else by a semicolon, else by the last
 * comma. A line without a second part, as one that nobody has filled in, says nothing.
 */
export function pairsIn(list: string): [text: string, other: string][] {
  const lines = list.split(/\r?\n/);
  const mark = ['\t', ';'].find((one) => lines.some((line) => line.includes(one))) ?? ',';
  return lines.flatMap((line): [string, string][] => {
    const at = mark === ',' ? line.lastIndexOf(mark) : line.indexOf(mark);
    const [text, other] = [line.slice(0, at).trim(), line.slice(at + 1).trim()];
    return at < 0 || text === '' || other === '' ? [] : [[text, other]];
  });
}
