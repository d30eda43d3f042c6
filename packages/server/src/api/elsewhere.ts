import { HTTPException } from 'hono/http-exception';

/** A change that was made from what is no longer there. */
export class ElsewhereError extends HTTPException {
  constructor(what: string) {
    super(409, { message: `${what} was changed in another window meanwhile` });
  }
}

/**
 * Refuses a change of what another window has changed.
 * @param now how it is, by the names of what can change
 * @param from how it was where the change was made; undefined: the change is wanted whatever it is
 */
export function refuseFromElsewhere(what: string, now: object, from: object | undefined): void {
  const current = now as Record<string, unknown>;
  for (const [field, was] of Object.entries(from ?? {}))
    if (JSON.stringify(current[field] ?? null) !== JSON.stringify(was ?? null)) throw new ElsewhereError(what);
}
