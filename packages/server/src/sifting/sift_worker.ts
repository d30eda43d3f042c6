import { workerData } from 'node:worker_threads';
import {
  bufferedShape,
  checkAtTimes,
  checkFilter,
  exprOfTree,
  FilterError,
  nodesIn,
  oneShape,
  type CheckOptions,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import { ANSWERS, type SourceKind } from './answers.ts';
import { layerNames, nameLayers, prepare } from './named_layers.ts';
import { OpenSources } from './open_sources.ts';
import type { SiftThreadData } from './sift_thread_data.ts';
import type { NumberedTask, SiftAnswer, SiftKind, SiftOutcome, SiftTask } from './tasks.ts';

/** The thread that holds the opened sources and answers every question about them. */

const data = workerData as SiftThreadData;
const open = new OpenSources(data);

/** Thrown where nobody waits for the answer any more. */
class Unwanted extends Error {}

/** The answer, or why there is none: an error would lose its class on the way between threads. */
export default async function run({ number, task }: NumberedTask): Promise<SiftOutcome> {
  checkAtTimes(() => {
    if (Atomics.load(data.unwanted, 0) === number) throw new Unwanted();
  });
  try {
    return { answer: await answer(task) };
  } catch (error) {
    if (error instanceof Unwanted) return { unwanted: true };
    if (error instanceof FilterError) return { refused: error.line };
    if ((error as Error).name === 'NotFoundError') return { refused: 'The source is no longer there' };
    throw error;
  }
}

async function answer(task: SiftTask): Promise<SiftAnswer<SiftKind>> {
  switch (task.kind) {
    case 'forget':
      open.forget(task.about.sourceId);
      return null;
    case 'areas':
      open.areas.forget();
      return null;
    case 'valid':
      return oneShape(task.question.shapes, await open.geos.get());
    case 'buffered':
      return bufferedShape(task.question.geometry, task.question.metres, await open.geos.get());
    default:
      return ofSource(task);
  }
}

async function ofSource<K extends SourceKind>({ kind, about, question }: SiftTask<K>): Promise<SiftAnswer<K>> {
  const { sourceId, asOf } = about;
  const source = await open.get(sourceId);
  const sifter = await open.sifterOf(source, asOf);
  const trees = treesOf(question);
  const em = await open.entities();
  const areas = await open.areas.get();
  const layers = nameLayers(trees) ? await layerNames(em) : undefined;
  for (const tree of trees) checkTree(tree, source.table, { areas, layers });
  const sifterById = async (id: number) => {
    const other = await open.get(id);
    return { sifter: await open.sifterOf(other, asOf), state: other.state };
  };
  await prepare(
    sifter,
    trees.map((tree) => exprOfTree(tree) ?? true),
    { em, areas, sifter: sifterById },
  );
  const geos = await open.geos.get();
  return ANSWERS[kind]({ sourceId, source, sifter, geos, em }, question);
}

/** The trees that a question is about. */
function treesOf(question: object): Group[] {
  const { tree, trees } = question as { tree?: Group; trees?: Group[] };
  return tree ? [tree] : (trees ?? []);
}

function checkTree(tree: Group, table: FeatureTable, options: CheckOptions): void {
  for (const { node } of nodesIn(tree)) if (node.kind === 'condition' && !node.off) checkFilter(node.expr, table.columns, options);
}
