import {
  classesOf,
  columnNamed,
  featureText,
  FilterError,
  lonLatGeometryAt,
  packTile,
  printGeometry,
  profileOf,
  rowOfKey,
  rowsOf,
  selectedBy,
  typeOffers,
  valueAt,
  type Column,
  type FeatureTable,
  type Geos,
  type Group,
  type NearTold,
  type Selection,
  type Sifter,
  type SourceEngine,
} from '@clean-sieve/core';
import { packSift } from '../api/sift_frame.ts';
import { layerRows, previewLayer } from '../export/preview.ts';
import { feedItem, feedItems, feedTile, keptBits } from '../feeds/items.ts';
import { wholeTile } from '../postgis/whole_tile.ts';
import { CodeList, Source } from '../store/entities.ts';
import type { Entities } from '../store/store.ts';
import type { OpenSource } from './open_sources.ts';
import { labelsIn } from './label_answers.ts';
import { estimatedStack, estimating } from './sampled.ts';
import { nearbyShapes, shapeOf } from './shape_answers.ts';
import type { Bytes, SiftAnswer, SiftKind, SiftQuestion } from './sift_tasks.ts';

/** With what a question about a source is answered. */
export interface Asked {
  sourceId: number;
  source: OpenSource;
  engine: SourceEngine;
  /** Aborted once nobody waits for the answer any more. */
  signal: AbortSignal;
  /** Prepared for the trees of the question, which are checked. */
  sifter: Sifter;
  geos: Geos;
  em: Entities;
  /** What of other sources was asked for as far as it is near. */
  near: NearTold[];
}

/** Questions about a source. */
export type SourceKind = Exclude<SiftKind, 'valid' | 'buffered' | 'forget' | 'areas'>;

/** How each question about a source is answered. */
export const ANSWERS: {
  [K in SourceKind]: (asked: Asked, question: SiftQuestion<K>) => SiftAnswer<K> | Promise<SiftAnswer<K>>;
} = {
  sift: (asked, { today, ...selection }) => siftFrame(asked, selection, today),
  rows: ({ engine, signal }, { order, offset, limit, ...selection }) => engine.page(selection, order, offset, limit, signal),
  keys: async ({ engine, signal }, { order, offset, count, ...selection }) => ({
    keys: await engine.keys(selection, order, offset, count, signal),
  }),
  place: async ({ engine, signal }, { order, key, ...selection }) => ({ place: await engine.place(selection, order, key, signal) }),
  search: async ({ engine, signal }, { order, wanted, ...selection }) => ({
    found: await engine.search(selection, order, wanted, signal),
  }),
  explain: ({ engine, signal }, { tree, key }) => engine.explain(tree, key, signal),
  aggregate: async ({ engine, signal }, { aggregation, ...selection }) => ({
    aggregate: await engine.aggregate(selection, aggregation, signal),
  }),
  aggregates: async ({ engine, signal }, { trees, asked }) => {
    const answers: SiftAnswer<'aggregates'>['answers'] = [];
    for (const { of, aggregation, ...selection } of asked) {
      try {
        answers.push({ aggregate: await engine.aggregate({ ...selection, tree: treeAt(trees, of) }, aggregation, signal) });
      } catch (error) {
        // What is wrong with one holds up no other.
        if (!(error instanceof FilterError)) throw error;
        answers.push({ refused: error.line });
      }
    }
    return { answers };
  },
  curve: async ({ engine, signal }, { tree, condition, side }) => ({ curve: await engine.curve(tree, condition, side, signal) }),
  emptiness: async ({ engine, signal }, { tree }) => ({ emptiness: await engine.emptiness(tree, signal) }),
  counts: async ({ engine, signal, source }, { trees }) => {
    const kept = await engine.counts(trees, signal);
    return { kept: kept.map((count, i) => estimating(source, [trees[i]])(count)) };
  },
  displayTile: async ({ engine, signal }, { z, x, y, plane }) => packTile(await engine.tile(z, x, y, plane, signal)),
  wholeTile: async (asked, question) => packTile(await wholeTile(asked, question)),
  there: ({ engine, signal }, { plane, x, y, reach, nameColumn, ...selection }) =>
    engine.there(selection, { plane, x, y, reach, nameColumn }, signal),
  boxes: async ({ engine, signal }, { keys }) => ({ boxes: await engine.boxes(keys, signal) }),

  // Of a table in local memory only.
  classes: ({ source: { table } }, { classing }) => classesOf(table, classing),
  profile: ({ source: { table } }, { column }) => profileOf(table, known(table, column)),
  offers: ({ source: { table } }, { column }) => ({ offers: typeOffers(known(table, column)) }),
  pairs: ({ source: { table } }, { code, meaning }) => ({ entries: pairs(table, code, meaning) }),
  shape: ({ sifter, geos }, asked) => shapeOf(sifter.table, [...rowsOf(selectedBy(sifter, asked))], geos),
  labels: ({ sifter, geos }, { box, column, ...selection }) => labelsIn(sifter, selection, box, known(sifter.table, column), geos),
  nearby: ({ source: { table } }, { box }) => ({ shapes: nearbyShapes(table, box) }),
  feature: ({ source: { table } }, { key }) => {
    const row = rowOfKey(table, key);
    const geometry = lonLatGeometryAt(table, row);
    return { geojson: featureText(table, row), wkt: geometry ? printGeometry(geometry) : '' };
  },
  preview: async (asked, task) => {
    const { kept, of, ...rest } = await previewLayer(asked.sifter, task.layer, task.request, ...(await described(asked)));
    const about = estimating(asked.source, [task.tree]);
    return { ...rest, kept: about(kept), of: asked.source.sampledOf ?? of };
  },
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

function treeAt(trees: readonly Group[], at: number): Group {
  const tree = trees.at(at);
  if (!tree) throw new FilterError(`There is no tree ${at} in the question`);
  return tree;
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

async function siftFrame({ engine, signal, source, near }: Asked, selection: Selection, today: number | null): Promise<Bytes> {
  const { mask, ...ofAll } = await engine.sift(selection, signal);
  const numbers = estimatedStack(ofAll, source, selection.tree);
  // What a sample lacks there can still be.
  const tells = engine.abilities.has('findings') && source.sampledOf === null;
  const findings = tells ? await engine.findings(selection.tree, today, signal) : [];
  return packSift({ ...numbers, findings, near }, mask ?? new Uint32Array(0));
}
