import type { Period } from '../time/period.ts';

/** A time that a scalar stands for; `vague` when it is one day that is only known to lie in the period. */
export interface Time extends Period {
  vague?: boolean;
  /** Of an interval: an end of it that is vague. */
  vagueStart?: Period;
  vagueEnd?: Period;
}

/** A value of an expression in a row. */
export type Scalar = number | string | boolean | Time | (Scalar | null)[];
