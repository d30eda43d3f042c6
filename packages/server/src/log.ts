import { appendFileSync, renameSync, statSync } from 'node:fs';

/** A log this large becomes the older one, and a new one begins. */
const MOST_BYTES = 1 << 20;

/** Where errors that nobody was told the reason of are written down: a line of time and place, then the stack. */
export interface Log {
  error(where: string, error: unknown): void;
}

/** A log that ends at its second file, so that it never fills a disk; what cannot be written goes to the terminal. */
export function logTo(path: string): Log {
  return {
    error(where, error) {
      const told = shortened(error instanceof Error ? (error.stack ?? error.message) : String(error));
      const text = `${new Date().toISOString()} ${where}\n${told}\n`;
      try {
        if (sizeOf(path) > MOST_BYTES) renameSync(path, `${path}.older`);
        appendFileSync(path, text);
      } catch (problem) {
        process.stderr.write(`${text}(${path} could not be written: ${(problem as Error).message})\n`);
      }
    },
  };
}

/** An error can carry all that was to be written. */
const MOST_CHARACTERS = 6000;

function shortened(text: string): string {
  if (text.length <= MOST_CHARACTERS) return text;
  const half = MOST_CHARACTERS / 2;
  return `${text.slice(0, half)} … ${text.length - MOST_CHARACTERS} characters more … ${text.slice(-half)}`;
}

function sizeOf(path: string): number {
  return statSync(path, { throwIfNoEntry: false })?.size ?? 0;
}
