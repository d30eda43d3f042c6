import {
  exprKey,
  type Aggregation,
  type AggregationKind,
  type AggregationOf,
  type Aggregates,
  type Group,
  type Selection,
} from '@clean-sieve/core';
import type { Answers, Question } from '@clean-sieve/server/api';

/** Told of a million features in some milliseconds; what takes longer would hold up the counts of a handle that is dragged. */
export const QUICK: ReadonlySet<AggregationKind> = new Set(['values', 'histogram', 'times', 'pairs']);

interface Wanted {
  selection: Selection;
  aggregation: Aggregation;
}

interface Waiting {
  wanted: Wanted;
  signal: AbortSignal | undefined;
  answered: (answer: Answers['aggregates']['answers'][number]) => void;
  failed: (error: unknown) => void;
}

type Ask = (sourceId: number, question: Question<'aggregates'>, signal: AbortSignal) => Promise<Answers['aggregates']>;

/**
 * Puts what several charts ask of a source in one moment, and is quick, into one question: each question of its own costs more on its way
 * than it takes to be answered. It ends once none of them is waited for.
 */
export function aggregatesTogether(ask: Ask) {
  const gathered = new Map<number, Waiting[]>();

  async function send(sourceId: number, all: Waiting[]): Promise<void> {
    const asked = all.filter(({ signal }) => !signal?.aborted);
    const end = new AbortController();
    let left = asked.length;
    for (const { signal } of asked) signal?.addEventListener('abort', () => --left === 0 && end.abort(signal.reason), { once: true });
    try {
      if (asked.length === 0) return;
      const { answers } = await ask(sourceId, questionOf(asked.map(({ wanted }) => wanted)), end.signal);
      asked.forEach((one, i) => one.answered(answers[i]));
    } catch (error) {
      for (const one of asked) one.failed(error);
    }
  }

  return <K extends AggregationKind>(
    sourceId: number,
    wanted: { selection: Selection; aggregation: AggregationOf<K> },
    signal?: AbortSignal,
  ): Promise<Aggregates[K]> =>
    new Promise((resolve, reject) => {
      signal?.throwIfAborted();
      signal?.addEventListener('abort', () => reject(signal.reason as Error), { once: true });
      let waiting = gathered.get(sourceId);
      if (!waiting) {
        gathered.set(sourceId, (waiting = []));
        const all = waiting;
        queueMicrotask(() => {
          gathered.delete(sourceId);
          void send(sourceId, all);
        });
      }
      waiting.push({
        wanted,
        signal,
        answered: (answer) => ('refused' in answer ? reject(new Error(answer.refused)) : resolve(answer.aggregate as Aggregates[K])),
        failed: reject,
      });
    });
}

/** The same tree is said once. */
function questionOf(wanted: Wanted[]): Question<'aggregates'> {
  const trees = new Map<string, Group>();
  const asked = wanted.map(({ selection: { tree, ...selection }, aggregation }) => {
    const key = exprKey(tree);
    if (!trees.has(key)) trees.set(key, tree);
    return { ...selection, of: [...trees.keys()].indexOf(key), aggregation };
  });
  return { trees: [...trees.values()], asked };
}
