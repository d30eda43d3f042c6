import { workerData } from 'node:worker_threads';
import {
  bufferedShape,
  checkAtTimes,
  checkFilter,
  exprOfTree,
  FilterError,
  named,
  nodesIn,
  oneShape,
  referencesIn,
  type CheckOptions,
  type Directory,
  type FeatureTable,
  type Group,
} from '@clean-sieve/core';
import { nearPart, type AskedNear } from '../fetching/near_parts.ts';
import { ANSWERS, type SourceKind } from './answers.ts';
import { operandNames, nameOperands, prepare, type Opened } from './named_operands.ts';
import { OpenSources } from './open_sources.ts';
import { refuseOfSample } from './sampled.ts';
import { Source } from '../store/entities.ts';
import { refusedSample } from '../store/table_store.ts';
import { directory } from '../workspace_state.ts';
import type { SiftThreadData } from './sift_thread_data.ts';
import { treesOf, type NumberedTask, type SiftAnswer, type SiftKind, type SiftOutcome, type SiftTask } from './sift_tasks.ts';

/** The thread that holds the opened sources and answers every question about them. */

const data = workerData as SiftThreadData;
const open = new OpenSources(data);

/** Thrown where nobody waits for the answer any more. */
class Unwanted extends Error {}

/** The answer, or why there is none: an error would lose its class on the way between threads. */
export default async function run({ number, task }: NumberedTask): Promise<SiftOutcome> {
  const unwanted = new AbortController();
  checkAtTimes(() => {
    if (Atomics.load(data.unwanted, 0) === number) unwanted.abort(new Unwanted());
    unwanted.signal.throwIfAborted();
  });
  try {
    return { answer: await answer(task, unwanted.signal) };
  } catch (error) {
    if (unwanted.signal.aborted) return { unwanted: true };
    if (error instanceof FilterError) return { refused: error.line };
    if ((error as Error).name === 'NotFoundError') return { refused: 'The source is no longer there' };
    throw error;
  }
}

async function answer(task: SiftTask, signal: AbortSignal): Promise<SiftAnswer<SiftKind>> {
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
      return ofSource(task, signal);
  }
}

async function ofSource<K extends SourceKind>({ kind, about, question: asked }: SiftTask<K>, signal: AbortSignal): Promise<SiftAnswer<K>> {
  const { sourceId, asOf } = about;
  const source = await open.get(sourceId);
  refuseOfSample(kind, source);
  const { sifter, engine } = await open.answering(source, asOf);
  const em = await open.entities();
  const question = treesOf(asked).some((tree) => referencesIn(tree).length > 0) ? byNames(asked, await directory(em)) : asked;
  const trees = treesOf(question);
  const areas = await open.areas.get();
  const operands = nameOperands(trees) ? await operandNames(em) : undefined;
  for (const tree of trees) checkTree(tree, source.table, { areas, operands });
  const sifterById = async (id: number, asked?: AskedNear): Promise<Opened> => {
    const other = await open.get(id);
    if (other.sampledOf !== null) {
      const sampled = await em.findOneOrFail(Source, { id }, { populate: ['columns'] });
      if (!asked) throw refusedSample(sampled);
      return open.near(await nearPart(em, sampled, asked, asOf), asOf);
    }
    return { sifter: (await open.answering(other, asOf)).sifter, state: other.state };
  };
  const exprs = trees.map((tree) => exprOfTree(tree) ?? true);
  const near = await prepare(sifter, exprs, { em, areas, sifter: sifterById }, sourceId);
  const geos = await open.geos.get();
  return ANSWERS[kind]({ sourceId, source, engine, sifter, signal, geos, em, near }, question);
}

/** The same question with its trees by names: they can come by identity, as the workspace gives them. */
function byNames<Q extends object>(question: Q, names: Directory): Q {
  const { tree, trees } = question as { tree?: Group; trees?: Group[] };
  return {
    ...question,
    ...(tree ? { tree: named(tree, names) } : {}),
    ...(trees ? { trees: trees.map((one) => named(one, names)) } : {}),
  };
}

function checkTree(tree: Group, table: FeatureTable, options: CheckOptions): void {
  for (const { node } of nodesIn(tree)) if (node.kind === 'condition' && !node.off) checkFilter(node.expr, table.columns, options);
}
