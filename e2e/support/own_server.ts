import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const TOP = fileURLToPath(new URL('../..', import.meta.url));
const MAIN = join(TOP, 'packages/server/dist/main.mjs');

/** A server of the built application on a free port, with a data folder that can outlive it. */
export interface Running {
  url: string;
  data: string;
  /** Ends the process; by default as a person would (SIGTERM), else without a chance to tidy up. */
  stop(signal?: NodeJS.Signals): Promise<void>;
}

export async function startServer(
  options: {
    demo: boolean;
    data?: string;
    removeData?: boolean;
    env?: Record<string, string>;
    more?: string[];
    within?: string[];
  } = {
    demo: true,
  },
): Promise<Running> {
  const data = options.data ?? mkdtempSync(join(tmpdir(), 'clean-sieve-e2e-'));
  const args = ['--no-warnings', MAIN, '--port', '0', '--data', data, ...(options.demo ? [] : ['--no-demo']), ...(options.more ?? [])];
  // A command that starts another, such as one that limits it.
  const [command, ...rest] = [...(options.within ?? []), process.execPath, ...args];
  const child = spawn(command, rest, {
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, ...options.env },
  });
  const url = await address(child);
  return {
    url,
    data,
    async stop(signal = 'SIGTERM') {
      if (child.exitCode === null && child.signalCode === null) {
        const ended = new Promise((done) => child.once('exit', done));
        child.kill(signal);
        await ended;
      }
      if (options.removeData !== false) rmSync(data, { recursive: true, force: true });
    },
  };
}

function address(child: ChildProcess): Promise<string> {
  return new Promise((done, fail) => {
    let said = '';
    const listen = (chunk: Buffer) => {
      said += chunk.toString();
      const url = /http:\/\/127\.0\.0\.1:\d+\//.exec(said)?.[0];
      if (url) done(url);
    };
    child.stdout!.on('data', listen);
    child.stderr!.on('data', listen);
    child.once('exit', () => fail(new Error(`The server ended: ${said}`)));
  });
}
