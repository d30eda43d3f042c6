/**
 * How many features something is true of, as far as it is known: a number is exact, `about` an estimate, null unknown. A source
 * that is not in local memory may not be able to count; what it cannot tell is never zero.
 */
export type Amount = number | { about: number } | null;

/** The number, exact or estimated; null where it is unknown. */
export function numberOf(amount: Amount): number | null {
  return typeof amount === 'object' && amount !== null ? amount.about : amount;
}

/** How much more the first is than the second, as closely as both are known. */
export function amountBetween(a: Amount, b: Amount): Amount {
  const [more, less] = [numberOf(a), numberOf(b)];
  if (more === null || less === null) return null;
  return typeof a === 'number' && typeof b === 'number' ? more - less : { about: more - less };
}
