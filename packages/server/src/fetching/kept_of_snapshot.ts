import {
  checkFilter,
  count,
  CRS84,
  FilterError,
  isDatabase,
  printFilter,
  ReadError,
  rowsOf,
  Sifter,
  takeRows,
  withKnownColumns,
  type FeatureTable,
} from '@clean-sieve/core';
import { geos } from '../export/kept_of_source.ts';
import type { Snapshot } from './snapshot.ts';

/**
 * What is kept of the features that were fetched, all conditions decided here once more, and of their columns, with what there is to
 * say of it. Throws a ReadError where the conditions do not fit what came.
 */
export async function keptOfSnapshot(
  read: FeatureTable,
  snapshot: Snapshot,
  asOf: number,
): Promise<{ table: FeatureTable; notes: string[] }> {
  const { filter, from, remarks, conditions } = snapshot;
  const table = withKnownColumns(read, snapshot.columns);
  const came = table.rows.toLocaleString('en-GB');
  const notes = [
    `${from.live ? 'Asked' : 'Fetched'} on ${from.askedAt.slice(0, 10)} at ${from.askedAt.slice(11, 16)} UTC from ${from.address}, ${isDatabase(from.address) ? 'table' : 'collection'} ${from.collection}: ${came} features came.`,
    ...remarks.map((remark) => `${remark}.`),
  ];
  let kept = table;
  if (filter !== null) {
    try {
      checkFilter(filter, table.columns);
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      throw new ReadError(
        `The condition does not fit what came: ${error.line.replace(/\.$/, '')}`,
        'The first features that were shown were of another kind. Fetch it without the condition, and sift it here',
      );
    }
    const sifter = new Sifter(table, asOf, CRS84, await geos.get());
    const rows = sifter.verdict(filter).yes;
    const left = table.rows - count(rows);
    if (left > 0) kept = takeRows(table, rowsOf(rows));
    notes.push(`Kept: ${(table.rows - left).toLocaleString('en-GB')} that are as in ${printFilter(filter)}`);
    if (left > 0 && conditions.every(({ by }) => by === 'there'))
      notes.push(
        `Just those were asked for, and ${left.toLocaleString('en-GB')} more came that are not; ${new URL(from.address).host} decides otherwise.`,
      );
  }
  const leftOut = from.leftOut.filter((name) => table.columns.some((column) => column.name === name));
  if (leftOut.length > 0) {
    notes.push(`Columns left out: ${leftOut.join(', ')}.`);
    kept = { ...kept, columns: kept.columns.filter(({ name }) => !leftOut.includes(name)) };
  }
  return { table: kept, notes };
}
