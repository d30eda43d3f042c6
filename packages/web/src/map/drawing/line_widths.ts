import { LARGEST_LEVEL } from '@clean-sieve/core';
import type { Sizes } from './paint.ts';

/** Width in CSS pixels of a line without a size, and of one whose number is next to nothing. */
const LEAST = 0.6;

/** Width in CSS pixels of lines of a level: as the number itself, where the radius of a mark is as its root. */
export const widthOf = (level: number, { widest }: Pick<Sizes, 'widest'>): number => Math.max(LEAST, widest * (level / LARGEST_LEVEL) ** 2);
