import { mkdir, readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';

/** An upload that nothing was added to for so long, in milliseconds, is taken away when another comes. */
const FORGOTTEN = 3_600_000;

/** Files on their way in: a folder an upload, which stays until they are brought in or given up. */
export class Uploads {
  readonly #folder: string;
  /** Uploads that jobs are reading, and how many. */
  readonly #used = new Map<string, number>();

  constructor(folder: string) {
    this.#folder = folder;
  }

  folderOf(upload: string): string {
    return join(this.#folder, upload);
  }

  /** Makes the folder of an upload, and takes away those that were forgotten. */
  async begin(upload: string): Promise<void> {
    await mkdir(this.folderOf(upload), { recursive: true });
    for (const other of await readdir(this.#folder)) {
      if (other === upload || this.#used.has(other)) continue;
      const info = await stat(this.folderOf(other)).catch(() => null);
      if (info && Date.now() - info.mtimeMs > FORGOTTEN) await this.remove(other);
    }
  }

  /** Keeps an upload while a job reads it. @returns what ends that; with true, the upload is taken away */
  use(upload: string): (isDone: boolean) => Promise<void> {
    this.#used.set(upload, (this.#used.get(upload) ?? 0) + 1);
    return async (isDone) => {
      const left = this.#used.get(upload)! - 1;
      if (left > 0) this.#used.set(upload, left);
      else this.#used.delete(upload);
      if (isDone) await this.remove(upload);
    };
  }

  async remove(upload: string): Promise<void> {
    await rm(this.folderOf(upload), { recursive: true, force: true });
  }
}
