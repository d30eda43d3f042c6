import { sampledOf } from '@clean-sieve/core';
import type { SourceInfo } from '@clean-sieve/server/api';
import { counted } from '../words/numbers.ts';

/**
 * Another one whenever the features of a source, their shapes in use or what is computed of them or joined to them are others: by a
 * newer version, by a repair, by another expression.
 */
export function stateOf({ takenAt, shapes, columns }: Pick<SourceInfo, 'takenAt' | 'shapes' | 'columns'>): string {
  const computed = columns.flatMap(({ name, derivation }) => (derivation !== null ? [[name, derivation]] : []));
  return `${takenAt} ${shapes}${computed.length > 0 ? ` ${JSON.stringify(computed)}` : ''}`;
}

/** Whether there is an answer of a source; without one nobody knows how many features it has. */
export const hasAnswer = ({ fetchedFrom }: Pick<SourceInfo, 'fetchedFrom'>): boolean => fetchedFrom?.live?.held !== null;

/** Whether only a sample of a source is held. */
export const isSample = ({ fetchedFrom }: Pick<SourceInfo, 'fetchedFrom'>): boolean => sampledOf(fetchedFrom) !== null;

/** How many features a source has, as far as that is known. */
export const howMany = (source: Pick<SourceInfo, 'fetchedFrom' | 'rows'>): string => (hasAnswer(source) ? counted(source.rows) : '…');
