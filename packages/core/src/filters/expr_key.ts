/** Characters of a shape from which on a number stands for it. */
const LARGE = 400;
/** Characters of shapes that are kept to be known again. */
const MOST_KEPT = 32 << 20;

/** Numbers of shapes by their texts, the last used last; a number is given once only. */
const numbers = new Map<string, number>();
let kept = 0;
let next = 0;
/** Of shapes that have been seen, so that each is written out once. */
const seen = new WeakMap<object, { shape: number } | null>();

/**
 * A text that tells an expression, or anything made of some, from any other, in this program run: JSON in which a number stands
 * for each large shape, so that it is short however many corners there are. Shapes must not be changed afterwards.
 */
export function exprKey(value: unknown): string {
  return JSON.stringify(value, (_, part: unknown) => (isShape(part) ? (numberOf(part) ?? part) : part));
}

function isShape(part: unknown): part is object {
  return typeof part === 'object' && part !== null && 'type' in part && ('coordinates' in part || 'geometries' in part);
}

function numberOf(shape: object): { shape: number } | null {
  let known = seen.get(shape);
  if (known === undefined) seen.set(shape, (known = firstSeen(JSON.stringify(shape))));
  return known;
}

function firstSeen(text: string): { shape: number } | null {
  if (text.length < LARGE) return null;
  let number = numbers.get(text);
  if (number === undefined) {
    number = next++;
    kept += text.length;
  } else numbers.delete(text);
  numbers.set(text, number);
  for (const [oldest] of numbers) {
    if (kept <= MOST_KEPT || oldest === text) break;
    numbers.delete(oldest);
    kept -= oldest.length;
  }
  return { shape: number };
}
