import { emptyTree, type Group } from '@clean-sieve/core';
import type { Answers, Question } from '@clean-sieve/server/api';
import { aggregatesTogether } from './aggregates_together.ts';

const other: Group = { ...emptyTree(), combine: 'any' };
const values = (column: string) => ({ kind: 'values' as const, column });

/** Asks that are kept until they are answered. */
function asks() {
  const under: { sourceId: number; question: Question<'aggregates'>; signal: AbortSignal; answer: (one: Answers['aggregates']) => void }[] =
    [];
  const aggregated = aggregatesTogether(
    (sourceId, question, signal) =>
      new Promise((answer, reject) => {
        signal.addEventListener('abort', () => reject(signal.reason as Error));
        under.push({ sourceId, question, signal, answer });
      }),
  );
  return { under, aggregated };
}
const counted = (value: string) => [{ value, count: 2, kept: 1 }];

test('what is asked of a source in one moment is one question, each answer goes to who asked for it', async () => {
  const { under, aggregated } = asks();
  const first = aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('a') });
  const second = aggregated(1, { selection: { tree: other, among: [4] }, aggregation: values('b') });
  const third = aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('c') });
  const elsewhere = aggregated(2, { selection: { tree: emptyTree() }, aggregation: values('a') });
  await Promise.resolve();
  expect(under.map(({ sourceId }) => sourceId)).toEqual([1, 2]);
  // The same tree stands there once.
  expect(under[0].question).toEqual({
    trees: [emptyTree(), other],
    asked: [
      { of: 0, aggregation: values('a') },
      { of: 1, among: [4], aggregation: values('b') },
      { of: 0, aggregation: values('c') },
    ],
  });
  under[0].answer({ answers: [{ aggregate: counted('x') }, { refused: 'There is no column b' }, { aggregate: counted('z') }] });
  under[1].answer({ answers: [{ aggregate: counted('y') }] });
  await expect(first).resolves.toEqual(counted('x'));
  await expect(second).rejects.toThrow('There is no column b');
  await expect(third).resolves.toEqual(counted('z'));
  await expect(elsewhere).resolves.toEqual(counted('y'));
});

test('what is asked later is another question', async () => {
  const { under, aggregated } = asks();
  void aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('a') });
  await Promise.resolve();
  void aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('b') });
  await Promise.resolve();
  expect(under).toHaveLength(2);
});

test('it ends once nobody waits for any of it, and not before', async () => {
  const { under, aggregated } = asks();
  const [one, two] = [new AbortController(), new AbortController()];
  const first = aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('a') }, one.signal);
  const second = aggregated(1, { selection: { tree: emptyTree() }, aggregation: values('b') }, two.signal);
  await Promise.resolve();
  one.abort(new Error('no longer wanted'));
  await expect(first).rejects.toThrow('no longer wanted');
  expect(under[0].signal.aborted).toBe(false);
  two.abort(new Error('nor this'));
  await expect(second).rejects.toThrow('nor this');
  expect(under[0].signal.aborted).toBe(true);
});
