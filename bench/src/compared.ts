/** One piece of work done twice: by this project and by a reference library, in the same process. */
export interface Comparison {
  name: string;
  ours: () => unknown;
  reference: { name: string; run: () => unknown };
  /** Largest ratio of ours to the reference that is on target. */
  target: number;
  /** Whether both came to the same result; a fast wrong answer is worth nothing. */
  agree: (ours: unknown, reference: unknown) => boolean;
  /**
   * Runs one after the other, as in use. A collection forced before each run throws optimised code away that holds weak
   * references (node --trace-deopt: "weak objects"), of closures above all, and the run measures the compiler.
   */
  steady?: true;
}

export interface Outcome {
  name: string;
  ours: number;
  reference: number;
  ratio: number;
  target: number;
}

/** Median milliseconds of several runs, after one or some that warm up. */
async function median(run: () => unknown, rounds: number, steady: boolean): Promise<{ millis: number; result: unknown }> {
  let result = await run();
  for (let more = 0; steady && more < 4; more++) await run();
  const times: number[] = [];
  for (let round = 0; round < rounds; round++) {
    if (!steady) globalThis.gc?.();
    const start = performance.now();
    result = await run();
    times.push(performance.now() - start);
  }
  times.sort((a, b) => a - b);
  return { millis: times[times.length >> 1], result };
}

/** Throws when the two results differ. */
export async function compare(comparison: Comparison, rounds = 9): Promise<Outcome> {
  const ours = await median(comparison.ours, rounds, comparison.steady === true);
  const reference = await median(comparison.reference.run, rounds, comparison.steady === true);
  if (!comparison.agree(ours.result, reference.result)) {
    throw new Error(
      `${comparison.name}: the results differ, ${String(ours.result)} and ${String(reference.result)} (${comparison.reference.name})`,
    );
  }
  const { name, target } = comparison;
  return { name, target, ours: ours.millis, reference: reference.millis, ratio: ours.millis / reference.millis };
}
