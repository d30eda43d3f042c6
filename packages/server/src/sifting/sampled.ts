import { countsOthers, exprOfTree, FilterError, numberOf, type Amount, type Group, type Sifted } from '@clean-sieve/core';
import type { SourceKind } from './answers.ts';
import type { OpenSource } from './open_sources.ts';

/** What is told of a source by a sample of it. */

/** What a sample does not tell: where a feature that is missing would make the answer another. */
const NOT_BY_SAMPLE: ReadonlySet<SourceKind> = new Set([
  ...(['curve', 'emptiness', 'pairs', 'rowsOfLayer', 'kept', 'items', 'item', 'tile'] as const),
]);

/** Throws a FilterError for a question that a sample does not answer. */
export function refuseOfSample(kind: SourceKind, { sampledOf }: OpenSource): void {
  if (sampledOf !== null && NOT_BY_SAMPLE.has(kind))
    throw new FilterError(
      'Only a sample of this source is held, which does not tell that',
      null,
      'Ask for less, so that all of it can be held',
    );
}

/**
 * How many features there are by how many of the sample: about so many. Of what none of the sample is, nobody knows; nor where a
 * condition hangs on which other features there are.
 */
export function estimating({ sampledOf, table: { rows } }: OpenSource, trees: readonly Group[]): (ofSample: Amount) => Amount {
  if (sampledOf === null) return (count) => count;
  const hangs = trees.some((tree) => countsOthers(exprOfTree(tree) ?? true));
  return (count) => {
    const number = numberOf(count);
    return hangs || number === null || number === 0 || rows === 0 ? null : { about: Math.round((number / rows) * sampledOf) };
  };
}

/** The numbers of a stack by a sample. */
export function estimatedStack<S extends Omit<Sifted, 'mask'>>(numbers: S, source: OpenSource, tree: Group): S {
  if (source.sampledOf === null) return numbers;
  const about = estimating(source, [tree]);
  const all = (amounts: Record<string, Amount>) => Object.fromEntries(Object.entries(amounts).map(([id, count]) => [id, about(count)]));
  return {
    ...numbers,
    ...{ total: source.sampledOf, kept: about(numbers.kept), unknown: about(numbers.unknown) },
    rows: numbers.rows.map((row) => ({
      ...row,
      ...{ reach: about(row.reach), left: about(row.left), unknown: about(row.unknown), alone: about(row.alone) },
    })),
    ...{ without: all(numbers.without), nearMisses: all(numbers.nearMisses) },
  };
}
