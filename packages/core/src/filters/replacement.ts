import type { Expr } from './ast.ts';
import { nearestName } from './nearest_name.ts';
import { printText } from './print_literal.ts';

/** What a mistyped unit was probably meant to be, as the text writes it; null where none is alike. */
export function unitReplacement(word: Expr | undefined, units: readonly string[]): string | null {
  const near = typeof word === 'string' ? nearestName(word, units) : null;
  return near && printText(near);
}
