import { LIKENESS_IN_WORDS, LIKENESSES } from '../joins/keys.ts';
import type { AlikeTells } from './alike.ts';
import type { AlikeDerivation } from './derivation.ts';
import { DatePattern, FIRST_YEAR } from './date_pattern.ts';
import type { TypedDerivation } from './typed_column.ts';

const AS: Record<TypedDerivation['as'], string> = {
  number: 'numbers',
  date: 'dates',
  datetime: 'dates with a time',
  boolean: 'yes and no',
};

/** How the texts of a column are read, as in: girth read as numbers in m, decimals after a comma; a cm is 0.01 m. */
export function typedInWords({ from, as, decimal, order, units, unit, pattern, firstYear, words, instead }: TypedDerivation): string {
  const others = (units ?? []).map(({ text, times }) => `${text} as ${times}${unit ? ` ${unit}` : ''}`);
  const left = (instead ?? []).filter(([, other]) => other.trim() === '').length;
  const replaced = (instead ?? []).length - left;
  const texts = (many: number) => `${many} ${many === 1 ? 'text' : 'texts'}`;
  // Only years of two digits hang on it.
  const years = pattern !== undefined && new DatePattern(pattern).hasShortYears ? `, years from ${firstYear ?? FIRST_YEAR}` : '';
  const parts = [
    `${from} read as ${AS[as]}${unit ? ` in ${unit}` : ''}`,
    ...(as === 'number' && decimal === 'comma' ? ['decimals after a comma'] : []),
    ...(others.length > 0 ? [others.join(', ')] : []),
    ...(pattern === undefined ? [] : [`written as ${pattern}${years}`]),
    ...((as === 'date' || as === 'datetime') && pattern === undefined && order === 'mdy' ? ['the month first'] : []),
    ...(words ? [`yes: ${words.yes.join(', ')}; no: ${words.no.join(', ')}`] : []),
    ...(replaced > 0 ? [`${texts(replaced)} read as another`] : []),
    ...(left > 0 ? [`${texts(left)} left blank`] : []),
  ];
  return parts.join('; ');
}

const TELLS: Record<AlikeTells, string> = {
  group: 'number of the group of features that are alike',
  size: 'how many features are alike',
  place: 'which of the features that are alike it is, in the order of the source',
};

/** What is told of features that are alike, and when they are. */
export function alikeInWords({ alike: { columns, like, blanks, within }, tells }: AlikeDerivation): string {
  const loosely = LIKENESSES.filter((one) => like[one]).map((one) => LIKENESS_IN_WORDS[one]);
  const parts = [
    ...(columns.length > 0 ? [`by ${columns.join(', ')}`] : []),
    ...(loosely.length > 0 ? [`without regard to ${loosely.join(', ')}`] : []),
    ...(blanks && columns.length > 0 ? ['blank like blank'] : []),
    ...(within === null ? [] : [within === 0 ? 'at the same place' : `at most ${within} m apart`]),
  ];
  return `${TELLS[tells]}: ${parts.join(', ')}`;
}
