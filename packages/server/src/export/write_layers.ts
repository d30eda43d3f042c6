import { createReadStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { basename } from 'node:path';
import { ReadError, refuseTooWide, type Pieces, type WrittenFormat, type WrittenLayer } from '@clean-sieve/core';
import { zipped } from '../files/zipped.ts';
import { writeDatabase, writeWhole } from '../files/write_whole.ts';

/**
 * Writes layers to a file: a database takes several, any other format one.
 * @param progress called with the part done, from 0 to 1, as far as it is known, and the same in words; may throw to stop
 * @returns bytes written
 */
export async function writeLayers(
  path: string,
  format: WrittenFormat,
  layers: readonly WrittenLayer[],
  progress: (share: number, words: string) => void = () => undefined,
): Promise<number> {
  const { label, writing } = format;
  for (const layer of layers) refuseTooWide(layer, label, writing);
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
  return writeWhole(path, writing.kind === 'file' ? writing.pieces(layer) : zipped(writing.parts(layer), layer.made), byBytes);
}

/** A name that every system takes for a file. */
export function fileName(name: string): string {
  const plain = name.replaceAll(/[\\/:*?"<>|]|\p{Cc}/gu, '_').replaceAll(/^\.+|[. ]+$/g, '');
  return plain === '' ? 'extract' : plain;
}

/**
 * Writes layers to a file, or to a zip archive by its name: a file a layer beside the notes that go with them.
 */
export async function writeData(
  path: string,
  format: WrittenFormat,
  layers: readonly WrittenLayer[],
  notes: readonly { name: string; pieces: Pieces }[],
  report: (share: number, words: string) => void = () => undefined,
): Promise<void> {
  const { writing } = format;
  const [{ made }] = layers;
  const packed = path.toLowerCase().endsWith('.zip');
  if (!packed || (writing.extension === '.zip' && layers.length === 1 && notes.length === 0)) {
    await writeLayers(path, format, layers, report);
  } else if (writing.kind === 'database') {
    const whole = path.replace(/\.zip$/i, writing.extension);
    await writeLayers(whole, format, layers, report);
    try {
      await writeWhole(path, zipped([{ name: basename(whole), pieces: createReadStream(whole) }, ...notes], made));
    } finally {
      await rm(whole, { force: true });
    }
  } else {
    for (const layer of layers) refuseTooWide(layer, format.label, writing);
    const parts = layers.flatMap((layer) => partsOf(layer, format));
    await writeWhole(path, zipped([...parts, ...notes], made), (bytes) => report(0.5, `${(bytes / 1e6).toFixed(1)} MB written`));
  }
}

/** Files that bear the layer's name; an archive of a format's own, such as KMZ, goes in as the one file that it is. */
function partsOf(layer: WrittenLayer, { writing }: WrittenFormat): { name: string; pieces: Pieces }[] {
  const name = fileName(layer.name);
  const whole = `${name}${writing.extension}`;
  if (writing.kind === 'file') return [{ name: whole, pieces: writing.pieces(layer) }];
  if (writing.kind === 'database') return [];
  const parts = writing.parts({ ...layer, name });
  return writing.extension === '.zip' ? parts : [{ name: whole, pieces: zipped(parts, layer.made) }];
}
