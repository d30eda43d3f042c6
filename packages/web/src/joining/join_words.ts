import {
  LIKENESSES,
  LIKENESS_IN_WORDS,
  type ColumnType,
  type JoinedDerivation,
  type Likeness,
  type PlacedDerivation,
  type SeveralRows,
} from '@clean-sieve/core';

const SEVERAL_WORDS: Record<Exclude<SeveralRows, 'refuse'>, string> = {
  first: 'the first',
  count: 'how many',
  sum: 'the sum',
  mean: 'the mean',
  min: 'the smallest',
  max: 'the largest',
};
const OF_TIMES: Partial<typeof SEVERAL_WORDS> = { min: 'the earliest', max: 'the latest' };

/** What becomes of several rows of one key, as it is chosen and told. */
export function severalInWords(several: Exclude<SeveralRows, 'refuse'>, type: ColumnType): string {
  return (type === 'date' || type === 'datetime' ? OF_TIMES[several] : undefined) ?? SEVERAL_WORDS[several];
}

/** What is not looked at when keys are compared, in words; empty where they are compared as they are. */
export function likenessInWords(like: Likeness): string {
  const words = LIKENESSES.filter((one) => like[one]).map((one) => LIKENESS_IN_WORDS[one]);
  return words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`;
}

/** Where a column comes from that is taken by place. @param sources of the workspace, which can be called something else by now */
export function placedInWords(
  { source, table, by, most, column }: PlacedDerivation,
  sources: readonly { id: number; name: string }[],
): string {
  const called = sources.find(({ id }) => id === source)?.name ?? table;
  const within = most === null ? '' : ` within ${most.toLocaleString('en-GB')} m`;
  const which = by === 'within' ? `the zone of ${called} that it lies in, the first of several` : `the nearest of ${called}${within}`;
  const what = column === null ? `How far ${which} is, in metres on the ellipsoid` : `${column} of ${which}`;
  return `${what}; it follows newer versions of ${called}`;
}

/** Where a joined column comes from. @param type of its values; @param sources of the workspace, which can be called something else by now */
export function joinInWords(
  { source, table, pairs, like, column, several }: JoinedDerivation,
  type: ColumnType,
  sources: readonly { id: number; name: string }[],
): string {
  const called = sources.find(({ id }) => id === source)?.name ?? table;
  const keys = pairs.map(({ own, other }) => (own === other ? own : `${own} = ${other}`)).join(' and ');
  const what = several === 'count' ? `How many rows of ${called} there are` : `${column} of ${called}`;
  const which = several === 'refuse' || several === 'count' ? '' : `, ${severalInWords(several, type)} of several rows`;
  const loosely = likenessInWords(like);
  return `${what} by ${keys}${which}${loosely === '' ? '' : `, without regard to ${loosely}`}; it follows newer versions of ${called}`;
}
