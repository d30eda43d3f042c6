import { basename } from 'node:path';
import {
  EXACTLY,
  FilterError,
  freeName,
  joinedColumn,
  joinedType,
  LIKENESSES,
  matchReport,
  matchTables,
  SEVERAL_ROWS,
  type Column,
  type FeatureTable,
  type KeyPair,
  type Likeness,
  type SeveralRows,
} from '@clean-sieve/core';
import { readFile } from './read_file.ts';
import { UsageError } from './usage_error.ts';

/** How a table that was joined fits the features. */
export interface JoinedTable {
  table: string;
  /** Features with a partner, with a key that the table has not, and without a key. */
  matched: number;
  without: number;
  blank: number;
  /** Rows of the table that no feature has the key of, and its keys that stand in several rows. */
  unused: number;
  several: number;
  columns: string[];
  /** Columns of the table of which several rows cannot be brought together in the way that is wanted. */
  leftOut?: string[];
}

/** The table with the columns of those that are joined to it. Throws a UsageError or a FilterError where one does not fit. */
export async function withJoins(
  read: FeatureTable,
  given: { join?: string[]; several?: string; alike?: string },
): Promise<{ table: FeatureTable; told: JoinedTable[] }> {
  const several = severalOf(given.several);
  const like = likenessOf(given.alike);
  let table = read;
  const told: JoinedTable[] = [];
  for (const text of given.join ?? []) {
    const { file, pairs } = joinOf(text);
    const { table: other } = await readFile(file, { bare: true }, null);
    const match = matchTables(table, other, pairs, like);
    const report = matchReport(match);
    const keys = new Set(pairs.map((pair) => pair.other));
    const taken = new Set(table.columns.map(({ name }) => name));
    const name = (wanted: string) => {
      const free = freeName(wanted, taken);
      taken.add(free);
      return free;
    };
    const values = other.columns.filter((column) => !keys.has(column.name));
    const fitting = values.filter((column) => fits(column, several));
    const leftOut = several === 'count' ? [] : values.filter((column) => !fitting.includes(column));
    // Where rows are counted there is nothing else to tell.
    const columns =
      several === 'count'
        ? [joinedColumn(match, null, 'count', name(`${basename(file).replace(/\.[^.]*$/, '')}_count`))]
        : fitting.map((column) => joinedColumn(match, column, several, name(column.name)));
    table = { ...table, columns: [...table.columns, ...columns] };
    told.push({
      table: file,
      ...{ matched: report.own.matched, without: report.own.without, blank: report.own.blank },
      ...{ unused: report.other.without + report.other.blank, several: report.several.keys },
      columns: columns.map((column) => column.name),
      ...(leftOut.length > 0 ? { leftOut: leftOut.map((column) => column.name) } : {}),
    });
  }
  return { table, told };
}

/** Whether several rows of a column can be brought together so. */
function fits(column: Column, several: SeveralRows): boolean {
  try {
    joinedType(column, several);
    return true;
  } catch (error) {
    if (error instanceof FilterError) return false;
    throw error;
  }
}

function joinOf(text: string): { file: string; pairs: KeyPair[] } {
  const [, file, keys] = /^(.+):([^:]+)$/s.exec(text) ?? [];
  const pairs = (keys ?? '').split(',').map((pair) => pair.split('='));
  if (!file || pairs.some((pair) => pair.length !== 2 || pair.some((name) => name.trim() === '')))
    throw new UsageError(`--join ${text} is not a file and its keys; write it as in --join 'rates.csv:ward=ward_id'`);
  return { file, pairs: pairs.map(([own, other]) => ({ own: own.trim(), other: other.trim() })) };
}

function severalOf(text: string | undefined): SeveralRows {
  const found = SEVERAL_ROWS.find((one) => one === (text ?? 'refuse'));
  if (!found) throw new UsageError(`--several ${text} is not known; it is one of ${SEVERAL_ROWS.join(', ')}`);
  return found;
}

function likenessOf(text: string | undefined): Likeness {
  const like = { ...EXACTLY };
  for (const wanted of text === undefined ? [] : text.split(',')) {
    const found = LIKENESSES.find((one) => one === wanted.trim());
    if (!found) throw new UsageError(`--alike ${wanted.trim()} is not known; it is one or more of ${LIKENESSES.join(', ')}`);
    like[found] = true;
  }
  return like;
}
