import { ReadError, zipped, type WrittenFormat, type WrittenLayer } from '@clean-sieve/core';
import { writeDatabase, writeWhole } from '../files/write_whole.ts';

/**
 * Writes layers to a file: a database takes several, any other format one.
 * @param progress called with the part done, from 0 to 1, as far as it is known, and the same in words; may throw to stop
 * @returns bytes written
 */
export async function writeLayers(
  path: string,
  { label, writing }: WrittenFormat,
  layers: readonly WrittenLayer[],
  progress: (share: number, words: string) => void = () => undefined,
): Promise<number> {
  const rows = layers.reduce((sum, layer) => sum + layer.rows.length, 0);
  const byBytes = (bytes: number) => progress(0.5, `${(bytes / 1e6).toFixed(1)} MB written`);
  if (writing.kind === 'database')
    return writeDatabase(
      path,
      (database) => writing.fill(layers, database),
      (done) => progress(done / Math.max(1, rows), `${done.toLocaleString('en-GB')} features written`),
    );
  if (layers.length !== 1) throw new ReadError(`${label} holds one layer a file`, 'Choose GeoPackage, or a zip archive');
  const [layer] = layers;
  return writeWhole(path, writing.kind === 'file' ? writing.pieces(layer) : zipped(writing.parts(layer), layer.made), byBytes); // prettier-ignore
}
