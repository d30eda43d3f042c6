let check: (() => void) | null = null;

/**
 * Says what long computations of this thread call now and then, at least every tenth of a second: by throwing it ends them.
 * @param next null for nothing
 */
export function checkAtTimes(next: (() => void) | null): void {
  check = next;
}

/** Called within long computations; throws where nobody waits for the outcome any more. */
export function checkpoint(): void {
  check?.();
}
