/**
 * The answer of an engine that computes in one go: what is wrong rejects, and what nobody waits for any more is not begun.
 * @throws the signal's reason once that is aborted
 */
export async function answered<T>(signal: AbortSignal | undefined, compute: () => T): Promise<T> {
  // What has arrived meanwhile, an end among it, is heard first.
  await Promise.resolve();
  signal?.throwIfAborted();
  return compute();
}
