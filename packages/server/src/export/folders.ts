import { readdir, rename, rm } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';

/** Folders in which an extract is being made, and those of one that is being deleted, begin with these. */
const [MAKING, GOING] = ['.making-', '.going-'];
const beside = (folder: string, mark: string) => join(dirname(folder), mark + basename(folder));

/** Where an extract is made before its folder has its name. */
export const makingFolder = (folder: string): string => beside(folder, MAKING);

/** Gives an extract that is known the folder in which it was made, unless it has it. */
export async function nameFolder(folder: string): Promise<void> {
  await ifThere(rename(makingFolder(folder), folder));
}

/** Deletes the folder of an extract once it is no longer known; where forgetting it fails, the folder is as it was. */
export async function deleteFolder(folder: string, forget: () => Promise<void>): Promise<void> {
  const going = beside(folder, GOING);
  await ifThere(rename(folder, going));
  try {
    await forget();
  } catch (error) {
    await ifThere(rename(going, folder));
    throw error;
  }
  await rm(going, { recursive: true, force: true });
}

/**
 * Ends what was under way when the program stopped: an extract that is known gets its folder, one that is not known is taken
 * away. Folders that bear their names stay, known or not: after an older copy of the workspace was put back they are somebody's
 * work. @param isKnown whether there is an extract of that id
 */
export async function settleFolders(folder: string, isKnown: (id: string) => boolean): Promise<void> {
  for (const name of (await ifThere(readdir(folder))) ?? []) {
    const mark = [MAKING, GOING].find((one) => name.startsWith(one));
    if (mark === undefined) continue;
    const id = name.slice(mark.length);
    if (isKnown(id)) await rename(join(folder, name), join(folder, id));
    else await rm(join(folder, name), { recursive: true, force: true });
  }
}

/** Undefined where there is no such file. */
async function ifThere<T>(work: Promise<T>): Promise<T | undefined> {
  try {
    return await work;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
}
