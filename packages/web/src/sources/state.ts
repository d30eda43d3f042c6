import type { SourceInfo } from '@clean-sieve/server/api';

/**
 * Another one whenever the features of a source, their shapes in use or what is computed of them or joined to them are others: by a
 * newer version, by a repair, by another expression.
 */
export function stateOf({ takenAt, shapes, columns }: Pick<SourceInfo, 'takenAt' | 'shapes' | 'columns'>): string {
  const computed = columns.flatMap(({ name, derivation }) => (derivation !== null ? [[name, derivation]] : []));
  return `${takenAt} ${shapes}${computed.length > 0 ? ` ${JSON.stringify(computed)}` : ''}`;
}
