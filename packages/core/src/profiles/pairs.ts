import type { Column } from '../features/column.ts';
import type { Mask } from '../features/mask.ts';
import { binCounts } from './bin_counts.ts';
import { binnedRows, type Binned, type Bins } from './profile.ts';

/** One axis of bins. Days or milliseconds since 1970-01-01 for times. */
export type Axis = Omit<Bins, 'binOf'>;

/** How many features have both a value in a bin of one column and one in a bin of another. */
export interface Pairs {
  x: Axis;
  y: Axis;
  /** Bin along x, bin along y, features, and kept ones of them; cells without a feature are not told. */
  cells: [number, number, number, number][];
}

/**
 * Counts of two columns of numbers or times in a grid of bins; null where one has no value.
 * @param most bins at most along x and y
 */
export function pairsOf(x: Column, y: Column, most: readonly [number, number], kept: Mask): Pairs | null {
  const [across, along] = [binnedRows(x, most[0]), binnedRows(y, most[1])];
  if (!across || !along) return null;
  const known = cellsOf(across, along);
  const { wide, all } = known;
  const some = binCounts(known.of, kept, all.length - 1);
  const cells: Pairs['cells'] = [];
  for (let v = 0; v < along.bins; v++)
    for (let u = 0; u < across.bins; u++) if (all[v * wide + u] > 0) cells.push([u, v, all[v * wide + u], some[v * wide + u]]);
  return { x: axisOf(across), y: axisOf(along), cells };
}

/** In which cell each row is, which does not change with what is kept. */
interface Cells {
  across: Binned;
  along: Binned;
  /** Cells of a row of them: one more bin each way, for rows that are in none. */
  wide: number;
  of: Uint32Array;
  all: Uint32Array;
}
/** Rows of which the cells are kept, in all. */
const MOST_ROWS = 4_000_000;
const knownCells: Cells[] = [];

function cellsOf(across: Binned, along: Binned): Cells {
  const known = knownCells.find((one) => one.across === across && one.along === along);
  if (known) return known;
  const wide = across.bins + 1;
  const of = new Uint32Array(across.of.length);
  const all = new Uint32Array(wide * (along.bins + 1));
  for (let row = 0; row < of.length; row++) all[(of[row] = along.of[row] * wide + across.of[row])]++;
  const cells = { across, along, wide, of, all };
  knownCells.unshift(cells);
  let held = 0;
  const end = knownCells.findIndex((one) => (held += one.of.length) > MOST_ROWS);
  if (end >= 0) knownCells.length = end;
  return cells;
}

const axisOf = ({ low, high, whole, bins }: Bins): Axis => ({ low, high, whole, bins });
