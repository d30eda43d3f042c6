import { checkpoint } from '../checkpoint.ts';
import { lonLatBoxOf, lonLatGeometryAt } from '../crs/lon_lat_view.ts';
import { displayTile } from '../display/display_tile.ts';
import { extentOfRows } from '../display/extent.ts';
import { featuresAt } from '../display/features_at.ts';
import type { PlaneName } from '../display/plane.ts';
import type { DisplayTile } from '../display/tile_bytes.ts';
import { compareRows, valueAt, type Column, type Value } from '../features/column.ts';
import type { Box } from '../features/geometry.ts';
import { and, andNot, count, has, maskOf, rowsOf, type Mask } from '../features/mask.ts';
import { columnNamed, geometryAt, geometryTypeCounts } from '../features/table.ts';
import { exprKey } from '../filters/expr_key.ts';
import { FilterError } from '../filters/filter_error.ts';
import { holding } from '../filters/text_search.ts';
import { exprOfTree, nodesIn, type Group } from '../filters/tree.ts';
import { boxesOf } from '../profiles/boxes.ts';
import { figuresOf } from '../profiles/column_profile.ts';
import { groupsOf } from '../profiles/groups.ts';
import { pairsOf } from '../profiles/pairs.ts';
import { distinctValues, histogram } from '../profiles/profile.ts';
import { timeCounts } from '../profiles/time_counts.ts';
import { boundCurve, keptBy, type BoundCurve } from '../sifting/bound_curve.ts';
import { emptiness, type Emptiness } from '../sifting/emptiness.ts';
import { findingsOf, type Finding } from '../sifting/findings.ts';
import { matchColumns, type ShownMatch } from '../sifting/match_columns.ts';
import type { Side } from '../sifting/movable.ts';
import type { Sifter } from '../sifting/sifter.ts';
import { nearMisses, siftTree } from '../sifting/stack.ts';
import { explainFeature } from '../sifting/why.ts';
import { withoutEach } from '../sifting/without_each.ts';
import { columnBreaks } from '../styles/classes.ts';
import { answered } from './answered.ts';
import {
  ABILITIES,
  type AggregationKind,
  type AggregationOf,
  type Aggregates,
  type Explained,
  type Feature,
  type FeatureKey,
  type FeaturesThere,
  type FoundText,
  type Order,
  type Page,
  type PlaceOnMap,
  type Selection,
  type Sifted,
  type SourceEngine,
} from './source_engine.ts';

/** More features at one place are not told one by one. */
const MOST_THERE = 200;

/** The features that a selection is of. */
export function selectedBy(sifter: Sifter, { tree, nearMissesOf, among }: Selection): Mask {
  const mask = nearMissesOf === undefined ? siftTree(sifter, tree).mask : nearMisses(sifter, tree, nearMissesOf);
  if (!among) return mask;
  const rows = among.map((key) => rowOfKey(sifter.table, key));
  return and(mask, maskOf(rows, sifter.table.rows));
}

/**
 * The row of a feature of a table: its key.
 * @throws FilterError where there is none
 */
export function rowOfKey({ rows }: { rows: number }, key: FeatureKey): number {
  if (typeof key !== 'number' || !Number.isInteger(key) || key < 0 || key >= rows) throw new FilterError(`There is no feature ${key}`);
  return key;
}

/**
 * A source in local memory: everything is exact. Questions are computed in one go; a thread that is to give one up does so at the
 * next checkpoint (`checkAtTimes`).
 */
export class LocalEngine implements SourceEngine {
  readonly abilities = new Set(ABILITIES);
  readonly #sifter: Sifter;
  /** The last order of rows asked for, so that scrolling does not sort again. */
  #sorted: { key: string; rows: Uint32Array } | null = null;
  /** The last columns that conditions showed. */
  #matched: { key: string; columns: ShownMatch[] } | null = null;

  /** @param sifter prepared for the trees that will be asked about */
  constructor(sifter: Sifter) {
    this.#sifter = sifter;
  }

  get schema() {
    const { table } = this.#sifter;
    return { columns: table.columns, features: table.rows, geometryTypes: geometryTypeCounts(table) };
  }

  sift(selection: Selection, signal?: AbortSignal): Promise<Sifted> {
    return answered(signal, () => {
      const { tree, nearMissesOf } = selection;
      const { total, kept, unknown, rows, mask } = siftTree(this.#sifter, tree);
      const missed: Record<string, number> = {};
      const without: Record<string, number> = {};
      withoutEach(this.#sifter, tree, (node, verdict) => {
        without[node.id] = count(verdict.yes);
        if (node.kind === 'condition') missed[node.id] = count(andNot(verdict.yes, mask));
      });
      const own = nearMissesOf === undefined && !selection.among ? mask : selectedBy(this.#sifter, selection);
      return { total, kept, unknown, rows, nearMisses: missed, without, mask: own };
    });
  }

  counts(trees: readonly Group[], signal?: AbortSignal): Promise<number[]> {
    return answered(signal, () => trees.map((tree) => keptBy(this.#sifter, tree)));
  }

  page(selection: Selection, order: Order, offset: number, limit: number, signal?: AbortSignal): Promise<Page> {
    return answered(signal, () => {
      const matches = this.#matches(selection);
      const rows = this.#rows(selection, order);
      return {
        total: rows.length,
        matches: matches.map(({ condition, shows, column: { name, type } }) => ({ condition, shows, name, type })),
        features: Array.from(rows.subarray(offset, offset + limit), (row) => ({
          key: row,
          cells: [...this.#cells(row), ...matches.map(({ column }) => valueAt(column, row))],
        })),
      };
    });
  }

  keys(selection: Selection, order: Order, offset: number, limit: number, signal?: AbortSignal): Promise<number[]> {
    return answered(signal, () => [...this.#rows(selection, order).subarray(offset, offset + limit)]);
  }

  place(selection: Selection, order: Order, key: FeatureKey, signal?: AbortSignal): Promise<number> {
    return answered(signal, () => this.#rows(selection, order).indexOf(rowOfKey(this.#sifter.table, key)));
  }

  search(
    selection: Selection,
    order: Order,
    { text, columns, from, limit }: { text: string; columns: string[]; from: number; limit: number },
    signal?: AbortSignal,
  ): Promise<FoundText[]> {
    return answered(signal, () => {
      const tests = columns
        .map((name) => ({ name, column: known(this.#sifter, name) }))
        .map((one) => ({ ...one, holds: holding(one.column, text) }));
      const rows = this.#rows(selection, order);
      const found: FoundText[] = [];
      for (let place = from; place < rows.length && found.length < limit; place++) {
        if ((place & 8191) === 0) checkpoint();
        const hit = tests.find(({ holds }) => holds(rows[place]));
        if (hit) found.push({ key: rows[place], place, column: hit.name, value: valueAt(hit.column, rows[place])! });
      }
      return found;
    });
  }

  async *batches(selection: Selection, size: number, signal?: AbortSignal): AsyncGenerator<Feature[]> {
    const { table } = this.#sifter;
    const rows = await answered(signal, () => rowsOf(selectedBy(this.#sifter, selection)));
    for (let from = 0; from < rows.length; from += size) {
      signal?.throwIfAborted();
      yield Array.from(rows.subarray(from, from + size), (row) => ({
        key: row,
        cells: this.#cells(row),
        geometry: lonLatGeometryAt(table, row),
      }));
    }
  }

  aggregate<K extends AggregationKind>(selection: Selection, aggregation: AggregationOf<K>, signal?: AbortSignal): Promise<Aggregates[K]> {
    return answered(signal, () => {
      const { kind }: { kind: K } = aggregation;
      return AGGREGATE[kind](this.#sifter, selectedBy(this.#sifter, selection), aggregation);
    });
  }

  explain(tree: Group, key: FeatureKey, signal?: AbortSignal): Promise<Explained> {
    return answered(signal, () => {
      const { table } = this.#sifter;
      const row = rowOfKey(table, key);
      return {
        key,
        kept: has(siftTree(this.#sifter, tree).mask, row),
        cells: this.#cells(row),
        box: this.#box(row),
        geometryType: geometryAt(table, row)?.type ?? 'no geometry',
        reasons: explainFeature(this.#sifter, tree, row),
      };
    });
  }

  curve(tree: Group, condition: string, side: Side, signal?: AbortSignal): Promise<BoundCurve | null> {
    return answered(signal, () => boundCurve(this.#sifter, tree, condition, side));
  }

  emptiness(tree: Group, signal?: AbortSignal): Promise<Emptiness | null> {
    return answered(signal, () => emptiness(this.#sifter, tree));
  }

  findings(tree: Group, today: number | null, signal?: AbortSignal): Promise<Finding[]> {
    return answered(signal, () => findingsOf(this.#sifter, tree, siftTree(this.#sifter, tree).rows, today));
  }

  tile(z: number, x: number, y: number, plane: PlaneName, signal?: AbortSignal): Promise<DisplayTile> {
    return answered(signal, () => displayTile(this.#sifter.table, z, x, y, plane));
  }

  there(selection: Selection, { plane, x, y, reach, nameColumn }: PlaceOnMap, signal?: AbortSignal): Promise<FeaturesThere> {
    return answered(signal, () => {
      const { table } = this.#sifter;
      const shown = selectedBy(this.#sifter, selection);
      const named = nameColumn === null ? undefined : columnNamed(table, nameColumn);
      // Of points, lines and areas, in this order, what is kept is drawn on top; of that the nearest comes first.
      const found = featuresAt(table, x, y, reach, null, plane).map((one) => ({ ...one, kept: has(shown, one.row) }));
      const sorted = found.sort((a, b) => a.dimension - b.dimension || Number(b.kept) - Number(a.kept));
      const features = sorted
        .slice(0, MOST_THERE)
        .map(({ row, ...rest }) => ({ key: row, ...rest, name: named ? valueAt(named, row) : null }));
      return { total: sorted.length, features };
    });
  }

  boxes(keys: readonly FeatureKey[], signal?: AbortSignal): Promise<(Box | null)[]> {
    return answered(signal, () => keys.map((key) => this.#box(rowOfKey(this.#sifter.table, key))));
  }

  #cells(row: number): Value[] {
    return this.#sifter.table.columns.map((column) => valueAt(column, row));
  }

  #box(row: number): Box | null {
    const box = lonLatBoxOf(this.#sifter.table, row);
    return box[0] <= box[2] ? box : null;
  }

  /** Columns that the conditions show of what they are about; a look at near misses shows how far those are. */
  #matches(selection: Selection): ShownMatch[] {
    const { tree, nearMissesOf } = selection;
    const asked = [...nodesIn(tree)].map(({ node }) => (node.kind === 'condition' && node.shows ? [node.id, node.shows] : null));
    if (nearMissesOf === undefined && asked.every((one) => one === null)) return [];
    const key = exprKey([this.#sifter.resolve(exprOfTree(tree) ?? true), asked, nearMissesOf]);
    if (this.#matched?.key === key) return this.#matched.columns;
    const also = nearMissesOf === undefined ? undefined : { condition: nearMissesOf, shows: ['nearest' as const] };
    const columns = matchColumns(this.#sifter, tree, selectedBy(this.#sifter, selection), also);
    this.#matched = { key, columns };
    return columns;
  }

  /** Rows of a selection in an order. */
  #rows(selection: Selection, order: Order): Uint32Array {
    const matches = this.#matches(selection);
    const key = exprKey([
      this.#sifter.resolve(exprOfTree(selection.tree) ?? true),
      selection.nearMissesOf,
      selection.nearMissesOf && selection.tree,
      selection.among,
      order,
      matches.map(({ column }) => column.name),
    ]);
    if (this.#sorted?.key === key) return this.#sorted.rows;
    const rows = rowsOf(selectedBy(this.#sifter, selection));
    // A column that a condition showed a moment ago is gone with it: the source's own order then.
    const { table } = this.#sifter;
    const comparisons = order.flatMap(({ column: name, descending }) => {
      const by = matches.find(({ column }) => column.name === name)?.column ?? columnNamed(table, name);
      return by ? [compareRows(by, descending)] : [];
    });
    if (comparisons.length > 0) rows.sort((a, b) => comparisons.reduce((by, compare) => by || compare(a, b), 0));
    this.#sorted = { key, rows };
    return rows;
  }
}

/** How each aggregation is computed of the kept features. */
const AGGREGATE: { [K in AggregationKind]: (sifter: Sifter, kept: Mask, aggregation: AggregationOf<K>) => Aggregates[K] } = {
  values: (sifter, kept, { column }) => distinctValues(known(sifter, column), sifter.table.rows, kept),
  histogram: (sifter, kept, { column, bins }) => histogram(known(sifter, column), bins, kept),
  figures: ({ table }, kept, { column }) => {
    const of = known({ table }, column);
    return { all: figuresOf(table, of, null), kept: figuresOf(table, of, kept) };
  },
  times: (sifter, kept, { column }) => timeCounts(known(sifter, column), sifter.table.rows, kept),
  groups: (sifter, kept, { by, of }) => {
    const columns = by.map((name) => known(sifter, name));
    return groupsOf(sifter.table.rows, columns, of === null ? null : known(sifter, of), kept);
  },
  pairs: (sifter, kept, { x, y, most }) => pairsOf(known(sifter, x), known(sifter, y), most, kept),
  boxes: (sifter, kept, { of, by }) => boxesOf(sifter.table.rows, by === null ? null : known(sifter, by), known(sifter, of), kept),
  extent: ({ table }, kept) => extentOfRows(table, kept),
  breaks: ({ table }, _, { column, method, count: classes }) => columnBreaks(table, known({ table }, column), method, classes),
};

function known({ table }: Pick<Sifter, 'table'>, name: string): Column {
  const column = columnNamed(table, name);
  if (!column) throw new FilterError(`There is no column ${name}`);
  return column;
}
