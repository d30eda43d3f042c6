import Papa from 'papaparse';
import type { Figures, GroupOfFeatures, Value } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';

/** The figures of a group that are handed on. */
export type GroupFigure = 'sum' | 'mean' | 'median' | 'min' | 'max';

/**
 * Groups as CSV (RFC 4180) with a head: the values of each, what they mean where they are codes, how many are kept and how many there
 * are, and each figure of the kept ones and of all. Texts that a spreadsheet would take for formulas have an apostrophe in front.
 * @param meaning of a code; undefined where it has none
 */
export function groupsCsv(
  groups: readonly GroupOfFeatures[],
  by: readonly ColumnInfo[],
  of: ColumnInfo | null,
  figures: readonly GroupFigure[],
  meaning: (column: ColumnInfo, value: number | string | boolean) => string | undefined,
): string {
  const coded = by.map((column) => column.codeList !== null);
  const heads = [
    ...by.flatMap(({ name }, i) => (coded[i] ? [name, `${name}_meaning`] : [name])),
    ...['kept', 'all'],
    ...figures.flatMap((figure) => [`kept_${of!.name}_${figure}`, `all_${of!.name}_${figure}`]),
  ];
  const valuesOf = (column: ColumnInfo, value: Value, isCoded: boolean): Value[] =>
    isCoded ? [value, value === null ? null : (meaning(column, value) ?? null)] : [value];
  const rows = groups.map(({ by: values, kept, all }) => [
    ...by.flatMap((column, i) => valuesOf(column, values[i], coded[i])),
    ...[kept.rows, all.rows],
    ...figures.flatMap((figure): Figures[GroupFigure][] => [kept[figure], all[figure]]),
  ]);
  return `${Papa.unparse({ fields: heads, data: rows }, { escapeFormulae: true })}\r\n`;
}
