import {
  boundCurve,
  columnNamed,
  count,
  andNot,
  displayTile,
  distinctValues,
  emptiness,
  explainFeature,
  extentOfRows,
  featureText,
  figuresOf,
  FilterError,
  findingsOf,
  geometryAt,
  has,
  histogram,
  keptBy,
  lonLatGeometryAt,
  packTile,
  printGeometry,
  profileOf,
  rowsOf,
  siftTree,
  timeCounts,
  typeOffers,
  valueAt,
  withoutEach,
  type Column,
  type FeatureTable,
  type Geos,
  type Group,
  type Sifter,
} from '@clean-sieve/core';
import type { FeatureAnswer, Selection } from '../api/contract.ts';
import { packSift } from '../api/sift_frame.ts';
import { layerRows, previewLayer } from '../extracts/preview.ts';
import { feedItem, feedItems, feedTile, keptBits } from '../feeds/items.ts';
import { CodeList, Source } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';
import type { OpenSource } from './open_sources.ts';
import { cells, rowsPage, sortedRows } from './row_answers.ts';
import { selected } from './selected.ts';
import { boxOf, featuresThere, nearbyShapes, shapeOf } from './shape_answers.ts';
import type { SiftAnswer, SiftKind, SiftQuestion } from './tasks.ts';

/** With what a question about a source is answered. */
export interface Asked {
  sourceId: number;
  source: OpenSource;
  /** Prepared for the trees of the question, which are checked. */
  sifter: Sifter;
  geos: Geos;
  em: Entities;
}

/** Questions about a source. */
export type SourceKind = Exclude<SiftKind, 'valid' | 'buffered' | 'forget' | 'areas'>;

/** How each question about a source is answered. */
export const ANSWERS: {
  [K in SourceKind]: (asked: Asked, question: SiftQuestion<K>) => SiftAnswer<K> | Promise<SiftAnswer<K>>;
} = {
  sift: ({ sifter }, { today, ...selection }) => siftFrame(sifter, selection, today),
  rows: ({ source, sifter }, task) => rowsPage(source, sifter, task),
  rowNumbers: ({ source, sifter }, { order, offset, count: many, ...selection }) => ({
    rows: [...sortedRows(source, sifter, selection, order).subarray(offset, offset + many)],
  }),
  place: ({ source, sifter }, { order, row, ...selection }) => ({
    place: sortedRows(source, sifter, selection, order).indexOf(row),
  }),
  why: ({ sifter }, { tree, row }) => featureAnswer(sifter, tree, row),
  values: ({ sifter }, { tree, column }) => ({
    values: distinctValues(known(sifter.table, column), sifter.table.rows, siftTree(sifter, tree).mask),
  }),
  histogram: ({ sifter }, { tree, column, bins }) => ({
    histogram: histogram(known(sifter.table, column), bins, siftTree(sifter, tree).mask),
  }),
  curve: ({ sifter }, { tree, condition, side }) => ({ curve: boundCurve(sifter, tree, condition, side) }),
  emptiness: ({ sifter }, { tree }) => ({ emptiness: emptiness(sifter, tree) }),
  counts: ({ sifter }, { trees }) => ({ kept: trees.map((tree) => keptBy(sifter, tree)) }),
  times: ({ sifter }, { tree, column }) => ({
    times: timeCounts(known(sifter.table, column), sifter.table.rows, siftTree(sifter, tree).mask),
  }),
  figures: ({ sifter }, task) => {
    const column = known(sifter.table, task.column);
    return {
      all: figuresOf(sifter.table, column, null),
      kept: figuresOf(sifter.table, column, siftTree(sifter, task.tree).mask),
    };
  },
  profile: ({ source: { table } }, { column }) => profileOf(table, known(table, column)),
  offers: ({ source: { table } }, { column }) => ({ offers: typeOffers(known(table, column)) }),
  pairs: ({ source: { table } }, { code, meaning }) => ({ entries: pairs(table, code, meaning) }),
  displayTile: ({ source: { table } }, { z, x, y }) => packTile(displayTile(table, z, x, y)),
  there: ({ sifter }, task) => featuresThere(sifter, task),
  boxes: ({ source: { table } }, { rows }) => ({ boxes: rows.map((row) => boxOf(table, row)) }),
  extent: ({ sifter }, { tree }) => ({ extent: extentOfRows(sifter.table, siftTree(sifter, tree).mask) }),
  shape: ({ sifter, geos }, { tree, row }) => shapeOf(sifter.table, row === null ? [...rowsOf(siftTree(sifter, tree).mask)] : [row], geos),
  nearby: ({ source: { table } }, { box }) => ({ shapes: nearbyShapes(table, box) }),
  feature: ({ source: { table } }, { row }) => {
    if (row >= table.rows) throw new FilterError('There is no such feature', null);
    const geometry = lonLatGeometryAt(table, row);
    return { geojson: featureText(table, row), wkt: geometry ? printGeometry(geometry) : '' };
  },
  preview: async (asked, task) => previewLayer(asked.sifter, task.layer, task.request, ...(await described(asked))),
  rowsOfLayer: async (asked, task) => layerRows(asked.sifter, task.layer, task.request, ...(await described(asked))),
  kept: ({ sifter }, { tree }) => keptBits(sifter, tree),
  items: ({ sifter }, task) => feedItems(sifter, task),
  item: ({ sifter }, task) => feedItem(sifter, task),
  tile: ({ sifter }, task) => feedTile(sifter, task),
  check: () => null,
};

/** What the workspace says of a source and its codes, and the geometry engine. */
async function described({ sourceId, em, geos }: Asked) {
  const source = await em.findOneOrFail(Source, { id: sourceId }, { populate: ['columns'] });
  return [source, await em.find(CodeList, {}), geos] as const;
}

function known(table: FeatureTable, name: string): Column {
  const column = columnNamed(table, name);
  if (!column) throw new FilterError(`There is no column ${name}`, null);
  return column;
}

/** Each code of one column with the first meaning that another gives it, by code. */
function pairs(table: FeatureTable, code: string, meaning: string): [string, string][] {
  const [codes, meanings] = [known(table, code), known(table, meaning)];
  const found = new Map<string, string>();
  for (let row = 0; row < table.rows; row++) {
    const [key, value] = [valueAt(codes, row), valueAt(meanings, row)];
    if (key !== null && value !== null && !found.has(String(key))) found.set(String(key), String(value));
  }
  return [...found].sort(([a], [b]) => (a < b ? -1 : 1));
}

function siftFrame(sifter: Sifter, selection: Selection, today: number | null): Uint8Array<ArrayBuffer> {
  const { tree } = selection;
  const { total, kept, unknown, rows, mask } = siftTree(sifter, tree);
  const missed: Record<string, number> = {};
  const without: Record<string, number> = {};
  withoutEach(sifter, tree, (node, verdict) => {
    without[node.id] = count(verdict.yes);
    if (node.kind === 'condition') missed[node.id] = count(andNot(verdict.yes, mask));
  });
  return packSift(
    { total, kept, unknown, rows, nearMisses: missed, without, findings: findingsOf(sifter, tree, rows, today) },
    selection.nearMissesOf === undefined ? mask : selected(sifter, selection),
  );
}

function featureAnswer(sifter: Sifter, tree: Group, row: number): FeatureAnswer {
  const { table } = sifter;
  if (row >= table.rows) throw new FilterError(`There is no feature ${row}`, null);
  return {
    row,
    kept: has(siftTree(sifter, tree).mask, row),
    cells: cells(table, row),
    box: boxOf(table, row),
    geometryType: geometryAt(table, row)?.type ?? 'no geometry',
    reasons: explainFeature(sifter, tree, row),
  };
}
