import {
  AREA_UNITS,
  columnInWords,
  freeName,
  LENGTH_UNITS,
  unitInName,
  unitOfDerivation,
  type Expr,
  type InSeveral,
  type SpreadBy,
  type Value,
  type ZoneFigure,
  type ZoneFigureKind,
  type ZonePart,
} from '@clean-sieve/core';
import type { ColumnInfo, SourceInfo, ZonedRequest } from '@clean-sieve/server/api';

/** A figure as it is filled in; `rate` is a count for each so many of a column of the zones. */
export interface FigureRow {
  id: number;
  kind: ZoneFigureKind | 'rate';
  column: string | null;
  weight: string | null;
  unit: string;
  /** Of a rate: for each so many. */
  per: number;
  name: string;
  /** The name was typed, and stays whatever else is chosen. */
  named: boolean;
  /** What it is shown as; empty: as its name says. */
  title: string;
  /** What its numbers are in; empty: not said. */
  measure: string;
}

/** Figures that are made once for each of some values, and for all others together. */
export interface SpreadChoice {
  column: string;
  by: SpreadBy;
  values: { value: Value; label: string }[];
  others: boolean;
}

export const FIGURE_TITLES: Record<FigureRow['kind'], string> = {
  count: 'how many',
  rate: 'how many for each …',
  share: 'the share of all',
  sum: 'the sum of',
  mean: 'the mean of',
  median: 'the median of',
  min: 'the smallest of',
  max: 'the largest of',
  deviation: 'the standard deviation of',
  distinct: 'how many different values of',
  area: 'the area inside',
  length: 'the length inside',
};
const OF_NUMBERS: readonly FigureRow['kind'][] = ['sum', 'mean', 'median', 'deviation'];

/** Figures that features of a source can have. @param isKept whether they are what a sieve keeps of it */
export function kindsFor({ columns, geometryTypes }: SourceInfo, zones: SourceInfo, isKept: boolean): FigureRow['kind'][] {
  const has = (types: readonly string[]) => columns.some(({ type, hidden }) => !hidden && types.includes(type));
  const shapes = Object.keys(geometryTypes).join(' ');
  const numbers = has(['number']);
  const kinds: [FigureRow['kind'], boolean][] = [
    ['count', true],
    ['rate', zones.columns.some(({ type, derivation }) => type === 'number' && derivation?.kind !== 'zoned')],
    ['share', isKept],
    ['sum', numbers],
    ['mean', numbers],
    ['median', numbers],
    ['min', has(['number', 'date', 'datetime'])],
    ['max', has(['number', 'date', 'datetime'])],
    ['deviation', numbers],
    ['distinct', columns.length > 0],
    ['area', /Polygon/.test(shapes)],
    ['length', /Line/.test(shapes)],
  ];
  return kinds.flatMap(([kind, can]) => (can ? [kind] : []));
}

/** Columns that a figure can be of: of the zones for a rate, else of the features. */
export function columnsFor(kind: FigureRow['kind'], features: SourceInfo, zones: SourceInfo): ColumnInfo[] {
  if (kind === 'rate') return zones.columns.filter(({ type }) => type === 'number');
  const fits = ({ type }: ColumnInfo) => {
    if (OF_NUMBERS.includes(kind)) return type === 'number';
    return kind === 'distinct' || type === 'number' || type === 'date' || type === 'datetime';
  };
  return features.columns.filter((column) => !column.hidden && fits(column));
}

export const isOfColumn = (kind: FigureRow['kind']): boolean => !['count', 'share', 'area', 'length'].includes(kind);
/** What the numbers of a figure are in by themselves; empty where that is not known. */
export function measureOf({ kind, column }: FigureRow, columns: readonly ColumnInfo[]): string {
  const of = ['sum', 'mean', 'median', 'min', 'max', 'deviation'].includes(kind) ? columns.find(({ name }) => name === column) : undefined;
  return of ? (unitOfDerivation(of.derivation) ?? unitInName(of.name)) : '';
}
export const isWeighable = (kind: FigureRow['kind']): boolean => kind === 'sum' || kind === 'mean';
export const unitsOf = (kind: FigureRow['kind']): string[] =>
  kind === 'area' ? Object.keys(AREA_UNITS) : kind === 'length' ? Object.keys(LENGTH_UNITS) : [];
/** Whether what lies in several zones can be parted for a figure. */
export const isPartable = (kind: FigureRow['kind']): boolean => ['count', 'rate', 'sum', 'mean', 'area', 'length'].includes(kind);

const plain = (text: string) =>
  text
    .toLowerCase()
    .replaceAll(/[^\p{L}\p{N}]+/gu, '_')
    .replaceAll(/^_+|_+$/g, '') || 'features';

/** What a figure is called unless it is said. @param of what the features are called */
export function nameFor({ kind, column, unit, per }: FigureRow, of: string, taken: ReadonlySet<string>): string {
  const features = plain(of);
  const name =
    kind === 'count'
      ? features
      : kind === 'rate'
        ? `${features}_per_${per}_${plain(columnInWords(column ?? ''))}`
        : kind === 'share'
          ? `${features}_share`
          : kind === 'area' || kind === 'length'
            ? `${features}_${unit}`
            : `${features}_${plain(column ?? '')}_${kind}`;
  return freeName(name, taken);
}

/** How many for each so many of a column of the zones. @param counted the column that says how many */
export const rateOf = (counted: string, column: string, per: number): Expr => ({
  op: '*',
  args: [{ op: '/', args: [{ property: counted }, { property: column }] }, per],
});

/** The figure behind a row; of a rate the count. */
export function figureOf({ kind, column, weight, unit }: FigureRow, several: InSeveral): ZoneFigure {
  if (kind === 'rate') return { kind: 'count', column: null, weight: null, unit: null, several };
  return {
    kind,
    column: isOfColumn(kind) ? column : null,
    weight: isWeighable(kind) ? weight : null,
    unit: unitsOf(kind).length > 0 ? unit : null,
    several: several === 'part' && !isPartable(kind) ? 'each' : several,
  };
}

type Made = Pick<ZonedRequest, 'figures' | 'computed'>;

/**
 * The columns that rows of figures give, each once or once for each part. A rate wants a count: one that is there, or one that is made
 * with it.
 * @param called what the features are called
 * @param taken names that are there already
 */
export function columnsOf(
  rows: readonly FigureRow[],
  { called, several, spread, taken }: { called: string; several: InSeveral; spread: SpreadChoice | null; taken: ReadonlySet<string> },
): Made {
  const made: Made = { figures: [], computed: [] };
  const names = new Set(taken);
  const named = (wanted: string): string => {
    const name = freeName(wanted, names);
    names.add(name);
    return name;
  };
  for (const { part, ending, label } of partsOf(spread)) {
    const nameOf = (row: FigureRow) => named(`${row.name.trim()}${ending}`);
    const titleOf = ({ title, name }: FigureRow): string | null => {
      const own = title.trim();
      return label === null ? own || null : `${own || columnInWords(name.trim())}, ${label}`;
    };
    const figure = (row: FigureRow): ZoneFigure => ({ ...figureOf(row, several), ...(part && { part }) });
    let count: string | undefined;
    for (const row of rows) {
      if (row.kind === 'rate') continue;
      const name = nameOf(row);
      if (row.kind === 'count') count ??= name;
      made.figures.push({ name, figure: figure(row), title: titleOf(row), unit: row.measure.trim() || null });
    }
    for (const row of rows) {
      if (row.kind !== 'rate' || row.column === null) continue;
      if (count === undefined) {
        const counting: FigureRow = { ...row, kind: 'count', title: '' };
        counting.name = nameFor(counting, called, new Set());
        count = nameOf(counting);
        made.figures.push({ name: count, figure: figure(counting), title: titleOf(counting), unit: null });
      }
      made.computed.push({
        name: nameOf(row),
        expr: rateOf(count, row.column, row.per),
        ...{ title: titleOf(row), unit: row.measure.trim() || null },
      });
    }
  }
  return made;
}

/** The parts that every figure is made of, with what their names end on and what they are shown as; one whole where nothing is spread. */
function partsOf(spread: SpreadChoice | null): { part: ZonePart | null; ending: string; label: string | null }[] {
  if (!spread) return [{ part: null, ending: '', label: null }];
  const { column, by, values } = spread;
  const others: ZonePart = { column, by, values: values.map(({ value }) => value), others: true };
  return [
    ...values.map(({ value, label }) => ({
      part: { column, by, values: [value], others: false },
      ending: `_${endingOf(value, label)}`,
      label,
    })),
    ...(spread.others ? [{ part: others, ending: '_others', label: 'all others' }] : []),
  ];
}

/** As a name ends: codes and numbers as they are, so that they stay short and the same whatever they mean. */
const endingOf = (value: Value, label: string): string => plain(value === null || value === '' ? label : String(value));
