import type { Geometry, Position } from 'geojson';
import {
  answered,
  CannotError,
  type Aggregates,
  type AggregationKind,
  type AggregationOf,
  type Box,
  type Explained,
  type Feature,
  type FeatureKey,
  type FoundText,
  type Figures,
  type Group,
  type GroupOfFeatures,
  type Order,
  type Page,
  type PageFeature,
  type Selection,
  type Sifted,
  type SourceEngine,
  type TimeCounts,
  type TreeNode,
  type Value,
} from '@clean-sieve/core';
import { treeTruths, plainStack, type Answers } from './plain_stack.ts';
import { meanings } from './plain_time.ts';
import { folded, type Truth } from './plain_truth.ts';
import type { Cell, Records, ValueKind } from './records.ts';

/**
 * A source of which the features are objects in an array, evaluated one by one: a second implementation of what a source can
 * answer, that shares no code with the first. Its features are known by texts, and it has no masks, tiles or curves.
 */
export class PlainEngine implements SourceEngine {
  readonly abilities = new Set<never>();
  readonly #records: Records;
  readonly #answers: Answers;

  constructor(records: Records, answers: Answers) {
    [this.#records, this.#answers] = [records, answers];
  }

  get schema() {
    const columns = Object.entries(this.#records.types).map(([name, kind]) => ({
      name,
      type: kind === 'array' ? ('text' as const) : kind,
    }));
    return { columns, features: this.#records.rows.length, geometryTypes: {} };
  }

  sift({ tree, nearMissesOf }: Selection, signal?: AbortSignal): Promise<Sifted> {
    return answered(signal, () => {
      const truths = this.#truths(tree);
      const rows = plainStack(tree, truths.length, this.#answers);
      const without: Record<string, number> = {};
      const nearMisses: Record<string, number> = {};
      for (const { id } of rows) {
        if (id === 'root') continue;
        const others = this.#truths(tree, id);
        without[id] = others.filter((truth) => truth === true).length;
        if (isCondition(tree, id)) nearMisses[id] = others.filter((truth, row) => truth === true && truths[row] !== true).length;
      }
      if (nearMissesOf !== undefined) this.#selected({ tree, nearMissesOf });
      const kept = truths.filter((truth) => truth === true).length;
      return {
        total: truths.length,
        kept,
        unknown: truths.filter((truth) => truth === null).length,
        rows,
        without,
        nearMisses,
        mask: null,
      };
    });
  }

  counts(trees: readonly Group[]): Promise<number[]> {
    return answered(undefined, () => trees.map((tree) => this.#selected({ tree }).length));
  }

  page(selection: Selection, order: Order, offset: number, limit: number): Promise<Page> {
    return answered(undefined, () => {
      const rows = this.#ordered(selection, order);
      return { total: rows.length, matches: [], features: rows.slice(offset, offset + limit).map((row) => this.#feature(row)) };
    });
  }

  keys(selection: Selection, order: Order, offset: number, limit: number): Promise<FeatureKey[]> {
    return answered(undefined, () => {
      return this.#ordered(selection, order)
        .slice(offset, offset + limit)
        .map(keyOf);
    });
  }

  place(selection: Selection, order: Order, key: FeatureKey): Promise<number> {
    return answered(undefined, () => this.#ordered(selection, order).map(keyOf).indexOf(String(key)));
  }

  search(selection: Selection, order: Order, { text, columns, from, limit }: Parameters<SourceEngine['search']>[2]): Promise<FoundText[]> {
    const bare = (whole: string) =>
      folded(
        [...whole.normalize('NFD')]
          .filter((c) => !/\p{M}/u.test(c))
          .join('')
          .normalize('NFC'),
      );
    return answered(undefined, () => {
      const found = this.#ordered(selection, order).flatMap((row, place): FoundText[] => {
        const column = columns.find((name) => {
          const value = this.#records.rows[row][name];
          return value !== null && bare(String(value)).includes(bare(text));
        });
        return column === undefined ? [] : [{ key: keyOf(row), place, column, value: this.#records.rows[row][column]! }];
      });
      return found.filter(({ place }) => place >= from).slice(0, limit);
    });
  }

  async *batches(selection: Selection, size: number, signal?: AbortSignal): AsyncGenerator<Feature[]> {
    const rows = await answered(signal, () => this.#selected(selection));
    while (rows.length > 0) {
      signal?.throwIfAborted();
      yield rows.splice(0, size).map((row) => ({ ...this.#feature(row), geometry: this.#records.shapes[row] }));
    }
  }

  aggregate<K extends AggregationKind>(selection: Selection, aggregation: AggregationOf<K>): Promise<Aggregates[K]> {
    return answered(undefined, () => {
      const { kind }: { kind: K } = aggregation;
      const kept = new Set(this.#selected(selection));
      return AGGREGATE[kind](this.#records, kept, aggregation);
    });
  }

  explain(tree: Group, key: FeatureKey): Promise<Explained> {
    return answered(undefined, () => {
      const row = this.#records.rows.findIndex((_, i) => keyOf(i) === key);
      if (row < 0) throw new Error(`There is no feature ${key}`);
      const shape = this.#records.shapes[row];
      const reasons: Explained['reasons'] = [];
      const tell = (node: TreeNode, level: number) => {
        if (!plainStack(asRoot(node), 0, this.#answers).some(({ id }) => id === node.id)) return;
        const truth = treeTruths(asRoot(node), this.#records.rows.length, this.#answers)[row];
        const outcome = truth === true ? 'pass' : truth === null ? 'unknown' : 'fail';
        reasons.push({ id: node.id, level, outcome, value: null, margin: null, unit: null });
        if (node.kind === 'group') node.children.forEach((child) => tell(child, level + 1));
      };
      tree.children.forEach((child) => tell(child, 0));
      return {
        key,
        kept: this.#truths(tree)[row] === true,
        cells: this.#cells(row),
        box: shape && boxOf([shape]),
        geometryType: shape?.type ?? 'no geometry',
        reasons,
      };
    });
  }

  curve(): Promise<never> {
    return Promise.reject(new CannotError('curve'));
  }
  emptiness(): Promise<never> {
    return Promise.reject(new CannotError('emptiness'));
  }
  findings(): Promise<never> {
    return Promise.reject(new CannotError('findings'));
  }
  tile(): Promise<never> {
    return Promise.reject(new CannotError('tiles'));
  }
  there(): Promise<never> {
    return Promise.reject(new CannotError('places'));
  }
  boxes(): Promise<never> {
    return Promise.reject(new CannotError('places'));
  }

  #truths(tree: Group, off: string | null = null): Truth[] {
    return treeTruths(tree, this.#records.rows.length, this.#answers, off);
  }

  #selected({ tree, nearMissesOf, among }: Selection): number[] {
    const truths = this.#truths(tree);
    const wanted = nearMissesOf === undefined ? null : this.#truths(tree, nearMissesOf);
    const found = truths.flatMap((truth, row) => ((wanted ? wanted[row] === true && truth !== true : truth === true) ? [row] : []));
    return among ? found.filter((row) => among.includes(keyOf(row))) : found;
  }

  #ordered(selection: Selection, order: Order): number[] {
    const rows = this.#selected(selection);
    const by = order.filter(({ column }) => column in this.#records.types);
    return rows.sort((a, b) => {
      for (const { column, descending } of by) {
        const [x, y] = [a, b].map((row) => this.#records.rows[row][column]);
        if (x === null && y === null) continue;
        if (x === null || y === null) return x === null ? 1 : -1;
        const first = ascending(this.#records.types[column], x, y);
        if (first !== 0) return descending ? -first : first;
      }
      return a - b;
    });
  }

  #cells(row: number): Value[] {
    return Object.keys(this.#records.types).map((name) => this.#records.rows[row][name]);
  }
  #feature(row: number): PageFeature {
    return { key: keyOf(row), cells: this.#cells(row) };
  }
}

const keyOf = (row: number) => `feature ${row}`;
const asRoot = (node: TreeNode): Group => ({ kind: 'group', id: 'alone', combine: 'all', children: [node] });

function isCondition(node: TreeNode, id: string): boolean {
  return node.kind === 'condition' ? node.id === id : node.children.some((child) => isCondition(child, id));
}

type Known = Exclude<Cell, null>;

/** When a time begins, in milliseconds; what is no time stays what it is. */
function placeOf(kind: ValueKind, value: Known): Known {
  return kind === 'date' || kind === 'datetime' ? meanings(String(value))[0].from : value;
}

/** By number, time or code point; false before true. */
function ascending(kind: ValueKind, a: Known, b: Known): number {
  const [x, y] = [placeOf(kind, a), placeOf(kind, b)];
  if (typeof x === 'string' && typeof y === 'string') return byCodePoint(x, y);
  return Number(x) - Number(y);
}

function byCodePoint(a: string, b: string): number {
  const [p, q] = [a, b].map((text) => [...text].map((char) => char.codePointAt(0)!));
  for (let i = 0; i < Math.min(p.length, q.length); i++) if (p[i] !== q[i]) return p[i] - q[i];
  return p.length - q.length;
}

/** Which rows, in order. */
type Rows = readonly number[];
const knownOf = ({ rows, types }: Records, column: string, some: Rows): Known[] =>
  some
    .map((row) => rows[row][column])
    .filter((value) => value !== null)
    .sort((a, b) => ascending(types[column], a, b));
const allOf = ({ rows }: Records): Rows => rows.map((_, row) => row);

function figures(records: Records, column: string | null, some: Rows): Figures {
  const base = { rows: some.length, min: null, max: null, mean: null, sum: null, median: null };
  if (column === null) return { ...base, blank: 0 };
  const kind = records.types[column];
  const known = knownOf(records, column, some).filter((value) => value !== '');
  const blank = some.length - known.length;
  if (known.length === 0) return { ...base, blank };
  const shown = (value: Known) => {
    const at = placeOf(kind, value);
    if (kind === 'date') return new Date(Number(at)).toISOString().slice(0, 10);
    return kind === 'datetime' ? new Date(Number(at)).toISOString() : value;
  };
  const [min, max] = [shown(known[0]), shown(known[known.length - 1])];
  const middle = [known[Math.ceil(known.length / 2) - 1], known[Math.floor(known.length / 2)]];
  if (kind === 'number') {
    const sum = known.reduce<number>((total, value) => total + Number(value), 0);
    return { rows: some.length, blank, min, max, sum, mean: sum / known.length, median: Number(middle[0]) / 2 + Number(middle[1]) / 2 };
  }
  return { ...base, blank, min, max, median: kind === 'date' || kind === 'datetime' ? shown(middle[0]) : null };
}

function boxOf(shapes: readonly Geometry[]): Box | null {
  const positions = shapes.flatMap(positionsOf);
  if (positions.length === 0) return null;
  const [xs, ys] = [0, 1].map((axis) => positions.map((position) => position[axis]));
  return [least(xs), least(ys), most(xs), most(ys)];
}

function partsOf(shape: Geometry): Geometry[] {
  if (shape.type === 'GeometryCollection') return shape.geometries.flatMap(partsOf);
  if (shape.type === 'MultiPoint') return shape.coordinates.map((coordinates) => ({ type: 'Point', coordinates }));
  if (shape.type === 'MultiLineString') return shape.coordinates.map((coordinates) => ({ type: 'LineString', coordinates }));
  if (shape.type === 'MultiPolygon') return shape.coordinates.map((coordinates) => ({ type: 'Polygon', coordinates }));
  return [shape];
}

function positionsOf(shape: Geometry): Position[] {
  if (shape.type === 'GeometryCollection') return shape.geometries.flatMap(positionsOf);
  const flat = (coordinates: unknown): Position[] =>
    typeof (coordinates as unknown[])[0] === 'number' ? [coordinates as Position] : (coordinates as unknown[]).flatMap(flat);
  return flat(shape.coordinates);
}

const least = (values: readonly number[]) => values.reduce((a, b) => Math.min(a, b));
const most = (values: readonly number[]) => values.reduce((a, b) => Math.max(a, b));
const DAY = 86_400_000;
const UNITS = [
  { unit: 'day', shortest: 1 },
  { unit: 'week', shortest: 7 },
  { unit: 'month', shortest: 28 },
  { unit: 'year', shortest: 365 },
] as const;

function times(records: Records, column: string, kept: ReadonlySet<number>): TimeCounts | null {
  const kind = records.types[column];
  if (kind !== 'date' && kind !== 'datetime') return null;
  const spans = records.rows.map(({ [column]: value }) => {
    if (value === null) return null;
    const each = meanings(String(value));
    const first = Math.floor(each[0].from / DAY);
    // A moment lies in its day.
    return { first, end: kind === 'date' ? each[each.length - 1].to / DAY : first + 1 };
  });
  const known = spans.filter((span) => span !== null);
  if (known.length === 0) return null;
  const [first, last] = [least(known.map((span) => span.first)), most(known.map((span) => span.first))];
  const { unit } = UNITS.find(({ shortest }) => (last - first) / shortest < 260) ?? UNITS[3];
  const after = (day: number): number => {
    const date = new Date(day * DAY);
    if (unit === 'day') return day + 1;
    if (unit === 'week') return day + 7;
    return Date.UTC(date.getUTCFullYear() + (unit === 'year' ? 1 : 0), unit === 'month' ? date.getUTCMonth() + 1 : 0, 1) / DAY;
  };
  const start = new Date(first * DAY);
  let day = first;
  if (unit === 'week') while (new Date(day * DAY).getUTCDay() !== 1) day--;
  if (unit === 'month') day = Date.UTC(start.getUTCFullYear(), start.getUTCMonth(), 1) / DAY;
  if (unit === 'year') day = Date.UTC(start.getUTCFullYear(), 0, 1) / DAY;
  const bins = [];
  let placed = 0;
  for (; day <= last; day = after(day)) {
    const end = after(day);
    const inside = spans.flatMap((span, row) => (span && span.first >= day && span.end <= end ? [row] : []));
    placed += inside.length;
    const from = new Date(day * DAY).toISOString().slice(0, 10);
    bins.push({ from, all: inside.length, kept: inside.filter((row) => kept.has(row)).length });
  }
  return { unit, bins, blank: spans.length - known.length, unplaced: known.length - placed };
}

/** In which of so many bins at most each row that has a value lies. */
function binned(records: Records, column: string, bins: number) {
  const kind = records.types[column];
  if (kind !== 'number' && kind !== 'date' && kind !== 'datetime') return null;
  const unit = kind === 'date' ? DAY : 1;
  const at = (row: number) => Number(placeOf(kind, records.rows[row][column]!)) / unit;
  const present = allOf(records).filter((row) => records.rows[row][column] !== null);
  if (present.length === 0) return null;
  const [low, last] = [least(present.map(at)), most(present.map(at))];
  const whole = kind === 'date' || (kind === 'number' && present.every((row) => Number.isSafeInteger(at(row))));
  // So many whole numbers a bin, as few as that takes no more bins than asked for.
  let width = 1;
  while (whole && Math.ceil((last - low + 1) / width) > bins) width++;
  const many = whole ? Math.ceil((last - low + 1) / width) : bins;
  const high = whole ? low + many * width : last;
  const binOf = (row: number) => {
    const value = at(row);
    if (whole) return Math.floor((value - low) / width);
    return high === low ? 0 : Math.min(bins - 1, Math.floor(((value - low) * bins) / (high - low)));
  };
  return { low, high, whole, many, present, binOf };
}

const AGGREGATE: {
  [K in AggregationKind]: (records: Records, kept: ReadonlySet<number>, aggregation: AggregationOf<K>) => Aggregates[K];
} = {
  values: (records, kept, { column }) => {
    const counts = new Map<Known, { value: Known; count: number; kept: number }>();
    for (const [row, { [column]: value }] of records.rows.entries()) {
      if (value === null) continue;
      const entry = counts.get(value) ?? { value, count: 0, kept: 0 };
      counts.set(value, { value, count: entry.count + 1, kept: entry.kept + (kept.has(row) ? 1 : 0) });
    }
    return [...counts.values()];
  },
  histogram: (records, kept, { column, bins }) => {
    const parted = binned(records, column, bins);
    if (!parted) return null;
    const { low, high, whole, many, present, binOf } = parted;
    const counted = (rows: Rows) => {
      const counts = Array.from({ length: many }, () => 0);
      for (const row of rows) counts[binOf(row)]++;
      return counts;
    };
    return { low, high, whole, all: counted(present), kept: counted(present.filter((row) => kept.has(row))) };
  },
  pairs: (records, kept, { x, y, most: [across, along] }) => {
    const [one, other] = [binned(records, x, across), binned(records, y, along)];
    if (!one || !other) return null;
    const cells = new Map<string, [number, number, number, number]>();
    const both = new Set(other.present);
    for (const row of one.present.filter((candidate) => both.has(candidate))) {
      const [column, line] = [one.binOf(row), other.binOf(row)];
      const [, , all, some] = cells.get(`${column} ${line}`) ?? [0, 0, 0, 0];
      cells.set(`${column} ${line}`, [column, line, all + 1, some + (kept.has(row) ? 1 : 0)]);
    }
    const axis = ({ low, high, whole, many }: typeof one) => ({ low, high, whole, bins: many });
    return { x: axis(one), y: axis(other), cells: [...cells.values()].sort((a, b) => a[1] - b[1] || a[0] - b[0]) };
  },
  boxes: (records, kept, { of, by }) => {
    const groups = new Map<Cell, number[]>();
    for (const [row, record] of records.rows.entries()) {
      const value = by === null ? null : record[by];
      if (!groups.has(value)) groups.set(value, []);
      groups.get(value)!.push(row);
    }
    const spread = (rows: Rows) => {
      const kind = records.types[of];
      const known = knownOf(records, of, rows).map((value) => Number(placeOf(kind, value)) / (kind === 'date' ? DAY : 1));
      if (known.length === 0) return null;
      const [lower, median, upper] = [1, 2, 3].map((quarter) => {
        const at = (quarter / 4) * (known.length - 1);
        const [before, after] = [known[Math.trunc(at)], known[Math.ceil(at)]];
        return after - before < Infinity ? before + (after - before) * (at % 1) : before * (1 - (at % 1)) + after * (at % 1);
      });
      const near = known.filter((value) => value >= lower - 1.5 * (upper - lower) && value <= upper + 1.5 * (upper - lower));
      const ends = { least: known[0], most: known[known.length - 1] };
      return { ...ends, count: known.length, lower, median, upper, low: near[0], high: near[near.length - 1] };
    };
    return [...groups].map(([value, rows]) => ({ by: value, all: spread(rows), kept: spread(rows.filter((row) => kept.has(row))) }));
  },
  figures: (records, kept, { column }) => ({
    all: figures(records, column, allOf(records)),
    kept: figures(records, column, [...kept]),
  }),
  times: (records, kept, { column }) => times(records, column, kept),
  groups: (records, kept, { by, of }) => {
    const groups = new Map<string, { by: Cell[]; rows: number[] }>();
    for (const [row, record] of records.rows.entries()) {
      const values = by.map((name) => record[name]);
      const key = JSON.stringify(values);
      if (!groups.has(key)) groups.set(key, { by: values, rows: [] });
      groups.get(key)!.rows.push(row);
    }
    return [...groups.values()].map(({ by: values, rows }): GroupOfFeatures => ({
      by: values,
      all: figures(records, of, rows),
      kept: figures(
        records,
        of,
        rows.filter((row) => kept.has(row)),
      ),
    }));
  },
  breaks: (records, _, { column, method, count }) => {
    const kind = records.types[column];
    const known = knownOf(records, column, allOf(records)).map((value) => Number(placeOf(kind, value)) / (kind === 'date' ? DAY : 1));
    const [low, high] = [least([...known, Infinity]), most([...known, -Infinity])];
    const bounds = Array.from({ length: count - 1 }, (_one, i) => {
      const share = (i + 1) / count;
      if (method === 'equal') return low + ((high - low) * (i + 1)) / count;
      // Type 7 of Hyndman and Fan, by its definition.
      const at = share * (known.length - 1);
      return known[Math.floor(at)] + (known[Math.ceil(at)] - known[Math.floor(at)]) * (at - Math.floor(at));
    });
    return [...new Set(bounds)].filter((bound) => bound > low && bound <= high);
  },
  extent: (records, kept) => {
    const shapes = [...kept].flatMap((row) => records.shapes[row] ?? []);
    const box = boxOf(shapes);
    if (!box || box[2] - box[0] <= 180) return box;
    // Round the other way, from each part on.
    const spans = shapes
      .flatMap(partsOf)
      .map((part) => boxOf([part]))
      .filter((span) => span !== null);
    const frames = spans.map(([from]) => {
      const ends = spans.map(([west, , east]) => (west >= from ? east : east >= from ? Infinity : east + 360));
      return [from, most(ends)];
    });
    const [closest] = frames.sort((a, b) => a[1] - a[0] - (b[1] - b[0]));
    return closest[1] - closest[0] <= 180 ? [closest[0], box[1], closest[1], box[3]] : box;
  },
};
