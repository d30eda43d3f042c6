import { partInWords } from './zone_parts.ts';
import type { InSeveral, ZoneFigure, ZoneFigureKind } from './zone_figures.ts';

const OF_COLUMNS: Partial<Record<ZoneFigureKind, string>> = {
  sum: 'sum',
  mean: 'mean',
  median: 'median',
  min: 'smallest',
  max: 'largest',
  deviation: 'standard deviation',
  distinct: 'number of different values',
};

const SEVERAL: Record<InSeveral, string> = {
  each: '',
  first: '; what lies in several zones counts in the first',
  part: '; what lies in several zones counts in each by the part that lies there',
};

/** A figure as a sentence tells it. @param called the features that it is of, as in "Trees" or "Veterans overdue of Trees" */
export function figureInWords({ kind, column, weight, unit, several, part }: ZoneFigure, called: string): string {
  const of = part ? `${called} ${partInWords(part)}` : called;
  const among = part ? called : 'all features';
  return `${whatOf(kind, column, unit, of, among)} in each zone${weight === null ? '' : `, weighted by ${weight}`}${SEVERAL[several]}`;
}

/** @param among what a share is of */
function whatOf(kind: ZoneFigureKind, column: string | null, unit: string | null, called: string, among: string): string {
  if (kind === 'count') return `number of ${called}`;
  if (kind === 'share') return `share of ${called} among ${among}`;
  if (kind === 'area' || kind === 'length') return `${kind} of ${called} inside, in ${unit}, cut in proportion,`;
  return `${OF_COLUMNS[kind]} of ${column} of ${called}`;
}
