import { randomUUID } from 'node:crypto';
import { open, rename, rm } from 'node:fs/promises';

/**
 * Writes text pieces to a file that appears under its name only when it is complete; until then they go to a
 * neighbour that is removed when anything fails.
 * @param progress called after each piece with the bytes written so far; may throw to stop
 * @returns bytes written
 */
export async function writeWhole(
  path: string,
  pieces: Iterable<string>,
  progress?: (bytes: number) => void,
): Promise<number> {
  const part = `${path}.${randomUUID().slice(0, 8)}.part`;
  const file = await open(part, 'wx');
  let bytes = 0;
  try {
    for (const piece of pieces) {
      bytes += (await file.write(piece)).bytesWritten;
      progress?.(bytes);
    }
    await file.sync();
    await file.close();
    await rename(part, path);
    return bytes;
  } catch (error) {
    await file.close().catch(() => undefined);
    await rm(part, { force: true });
    throw error;
  }
}
