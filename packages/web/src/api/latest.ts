/**
 * Asks anew and gives up what was asked before with the same function.
 * @returns what makes a question with a signal into its answer; undefined where another one has come after it
 */
export function latest(): <T>(ask: (signal: AbortSignal) => Promise<T>) => Promise<T | undefined> {
  let asked: AbortController | null = null;
  return async (ask) => {
    asked?.abort();
    const own = (asked = new AbortController());
    try {
      const answer = await ask(own.signal);
      return own.signal.aborted ? undefined : answer;
    } catch (error) {
      if (own.signal.aborted) return undefined;
      throw error;
    }
  };
}
