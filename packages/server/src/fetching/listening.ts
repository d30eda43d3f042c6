import { Cancelled } from '@clean-sieve/core';

export type Report = (share: number, progress: string) => void;

/** Milliseconds between two looks at whether the job was cancelled while someone elsewhere is waited for. */
const LISTENING = 200;

/** Listens for the end of the job while someone elsewhere is waited for; the signal ends the waiting. */
export async function listening<T>(host: string, report: Report, work: (signal: AbortSignal, tell: Report) => Promise<T>): Promise<T> {
  const end = new AbortController();
  let now: [number, string] = [0, `Asking ${host}`];
  const tell: Report = (share, words) => {
    now = [share, words];
    report(share, words);
  };
  const timer = setInterval(() => {
    try {
      report(...now);
    } catch (error) {
      end.abort(error);
    }
  }, LISTENING);
  try {
    tell(...now);
    return await work(end.signal, tell);
  } catch (error) {
    if (end.signal.aborted) throw new Cancelled();
    throw error;
  } finally {
    clearInterval(timer);
  }
}
