import type { BySize, Classing, Expr, Group, PlaneName, Selection } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type {
  Answers,
  BufferedAnswer,
  ExtractLayer,
  ExtractRequest,
  PreviewAnswer,
  Question,
  QuestionName,
  RowsOfLayer,
  ValidAnswer,
  WholeTileAsk,
} from '../api/contract.ts';
import type { FeedItems } from '../feeds/items.ts';
import type { FeedCrs } from '../feeds/params.ts';

/** The features of a feed: those that a tree keeps, or a fixed set of rows as bits in base64. */
interface Published {
  tree: Group;
  rows: string | null;
  /** Columns that are given. */
  columns: string[];
}

interface LayerTask {
  tree: Group;
  layer: ExtractLayer;
  request: Omit<ExtractRequest, 'layers'>;
}

export type Bytes = Uint8Array<ArrayBuffer>;

/** What a sifting thread can be asked, and what it answers: what the interface asks of a source, and the server's own. */
export type SiftTasks = { [K in QuestionName]: { ask: Question<K>; answer: Answers[K] } } & {
  /** Numbers and mask (`sift_frame.ts`). */
  sift: { ask: { today: number | null } & Selection; answer: Bytes };
  /** The class of each row, a byte each (`classesOf`). */
  classes: { ask: { classing: Classing | BySize }; answer: Bytes };
  /** What is drawn in a tile of the map (`unpackTile`). */
  displayTile: { ask: { plane: PlaneName; z: number; x: number; y: number }; answer: Bytes };
  /** The same of what a tree keeps of the whole table that a source is a sample of; each row is the number of its class. */
  wholeTile: { ask: WholeTileAsk & { z: number; x: number; y: number }; answer: Bytes };
  /** Each code of one column with the first meaning that another gives it. */
  pairs: { ask: { code: string; meaning: string }; answer: { entries: [string, string][] } };
  /** Whether the conditions can be evaluated. */
  check: { ask: { tree: Group }; answer: null };
  preview: { ask: LayerTask; answer: PreviewAnswer['layers'][number] & { bytes: number } };
  rowsOfLayer: { ask: LayerTask; answer: RowsOfLayer };
  /** What a tree keeps just now, as bits in base64. */
  kept: { ask: { tree: Group }; answer: { rows: string; kept: number } };
  items: {
    ask: Published & { filter: Expr | null; offset: number; limit: number; system: FeedCrs };
    answer: FeedItems;
  };
  item: { ask: Published & { row: number; system: FeedCrs }; answer: { feature: string | null } };
  tile: { ask: Published & { z: number; x: number; y: number; name: string }; answer: Bytes };
  /** Of the following, source and day do not matter. A shape made valid, and what was wrong with it. */
  valid: { ask: { shapes: Geometry[] }; answer: ValidAnswer };
  buffered: { ask: { geometry: Geometry; metres: number }; answer: BufferedAnswer };
  /** The source, or the areas, are no longer as they were. */
  forget: { ask: null; answer: null };
  areas: { ask: null; answer: null };
};

export type SiftKind = keyof SiftTasks;
export type SiftQuestion<K extends SiftKind> = SiftTasks[K]['ask'];
export type SiftAnswer<K extends SiftKind> = SiftTasks[K]['answer'];
/** Of which source on which as-of day. */
export interface About {
  sourceId: number;
  asOf: number;
}
/** What is about no source. */
export const NO_SOURCE: About = { sourceId: 0, asOf: 0 };
/** A question to a source. */
export type SiftTask<K extends SiftKind = SiftKind> = {
  [P in K]: { kind: P; about: About; question: SiftQuestion<P> };
}[K];

/** How a thread ends a question: with its answer, with what is wrong with it, or unanswered as nobody waits any more. */
export type SiftOutcome = { answer: unknown } | { refused: string } | { unwanted: true };

/** A question on its way to the thread; while its number stands in the thread's `unwanted`, it ends at the next checkpoint. */
export interface NumberedTask {
  number: number;
  task: SiftTask;
}

/** The trees that a question is about. */
export function treesOf(question: SiftQuestion<SiftKind>): Group[] {
  const { tree, trees } = (question ?? {}) as { tree?: Group; trees?: Group[] };
  return tree ? [tree] : (trees ?? []);
}
