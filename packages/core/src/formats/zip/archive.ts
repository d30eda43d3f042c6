import { unzipSync, type UnzipFileInfo } from 'fflate';
import { memoryInput, type Input, type SqliteFile } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { checksumsOf, crc32 } from './checksums.ts';

/** Bytes that an archive may unfold to. */
export const LARGEST_ARCHIVE = 2 ** 31;
/** Files that an archive may hold. */
const MOST_FILES = 10_000;

/**
 * The files in a zip archive, as inputs that find each other as siblings. Nothing is written anywhere, so names that
 * climb out of the folder ("../x") do no harm; only their last part is used.
 * Throws a ReadError when the archive would unfold to more than fits.
 */
export async function filesInArchive(input: Input, openDatabase: (bytes: Uint8Array) => Promise<SqliteFile>): Promise<Input[]> {
  let total = 0;
  let count = 0;
  const filter = ({ name, originalSize }: UnzipFileInfo): boolean => {
    if (name.endsWith('/') || /(^|\/)(__MACOSX\/|\._|\.DS_Store)/.test(name)) return false;
    total += originalSize;
    if (++count > MOST_FILES || total > LARGEST_ARCHIVE)
      throw new ReadError(
        `${input.name} would unfold to more than ${count > MOST_FILES ? `${MOST_FILES} files` : '2 GB'}, which is refused`,
        'Unpack it yourself and bring in the files',
      );
    return true;
  };
  let files: Record<string, Uint8Array>;
  const archive = await input.bytes();
  try {
    files = unzipSync(archive, { filter });
  } catch (error) {
    if (error instanceof ReadError) throw error;
    throw new ReadError(
      `${input.name} cannot be unpacked: ${(error as Error).message}`,
      'The archive may be damaged or not have been copied whole',
    );
  }
  const sums = checksumsOf(archive);
  for (const [path, content] of Object.entries(files)) {
    const sum = sums.get(path);
    if (sum !== undefined && sum !== crc32(content))
      throw new ReadError(
        `${path} in ${input.name} is damaged: its checksum does not fit`,
        'The archive may not have been copied whole; fetch it again',
      );
  }
  const byFolder = new Map<string, Map<string, Uint8Array>>();
  for (const [path, bytes] of Object.entries(files)) {
    const cut = Math.max(path.lastIndexOf('/'), path.lastIndexOf('\\'));
    const folder = path.slice(0, cut + 1);
    if (!byFolder.has(folder)) byFolder.set(folder, new Map());
    byFolder.get(folder)!.set(path.slice(cut + 1), bytes);
  }
  return [...byFolder.values()].flatMap((folder) => [...folder].map(([name, bytes]) => memoryInput(name, bytes, folder, openDatabase)));
}
