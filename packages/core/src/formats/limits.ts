import { ReadError } from './read_error.ts';

/** What is taken of a file before it is refused in words, so that no file can fill the memory or keep a reader busy for hours. */
export const MOST_COLUMNS = 4096;
/** Characters of one value. */
export const LONGEST_TEXT = 16 << 20;
/** Bytes of one feature of a JSON text, which is parsed whole. */
export const LARGEST_FEATURE = 256 << 20;
/** Characters of one record of a table. */
export const LONGEST_RECORD = 64 << 20;

const inMillions = (count: number) => `${Math.round(count / (1 << 20))} million`;

/** @throws ReadError for one column more than is taken */
export function refuseTooManyColumns(count: number): void {
  if (count >= MOST_COLUMNS)
    throw new ReadError(
      `There are more than ${MOST_COLUMNS.toLocaleString('en-GB')} columns`,
      'Every name that occurs in a feature is a column; leave out those that are not needed, or make rows of them',
    );
}

/** @throws ReadError for a value that is longer than is taken */
export function refuseTooLong(text: string, column: string): void {
  if (text.length > LONGEST_TEXT)
    throw new ReadError(
      `A value of the column ${column} is longer than ${inMillions(LONGEST_TEXT)} characters`,
      'Something else than a text seems to stand in it; leave the column out',
    );
}

/** @throws ReadError for a record, from 1, of which no end is found */
export function refuseEndlessRecord(length: number, row: number): void {
  if (length > LONGEST_RECORD)
    throw new ReadError(
      `Row ${row} is longer than ${inMillions(LONGEST_RECORD)} characters`,
      'Its end may be missing: look for a quote that is not closed, or for other line ends',
    );
}

/** @throws ReadError for a feature, from 1, that is larger than is taken */
export function refuseTooLarge(bytes: number, feature: number, line: number): void {
  if (bytes > LARGEST_FEATURE)
    throw new ReadError(
      `Feature ${feature}, which begins on line ${line}, is larger than ${LARGEST_FEATURE >> 20} MB`,
      'Cut its shape up, or bring it in in a binary format',
    );
}
