import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startServer } from './own_server.ts';

/** Where the workers find the folder that is made once for all of them. */
const NAME = 'CLEAN_SIEVE_DEMO_FOLDER';

/** Makes the demo workspace once, for all that begin with it; gives what takes it away. */
export default async function makeDemoFolder(): Promise<() => void> {
  const server = await startServer({ demo: true, removeData: false });
  await server.stop();
  process.env[NAME] = server.data;
  return () => rmSync(server.data, { recursive: true, force: true });
}

/** A data folder of one's own with the demo workspace as it is when new. */
export function newDemoFolder(): string {
  const folder = process.env[NAME];
  if (folder === undefined) throw new Error('The demo workspace has not been made');
  const own = mkdtempSync(join(tmpdir(), 'clean-sieve-e2e-'));
  cpSync(folder, own, { recursive: true });
  return own;
}
