import type { SourceInfo } from '@clean-sieve/server/api';

/** Another one whenever the features of a source, or their shapes in use, are others: by a newer version, by a repair. */
export const stateOf = ({ takenAt, shapes }: Pick<SourceInfo, 'takenAt' | 'shapes'>): string => `${takenAt} ${shapes}`;
