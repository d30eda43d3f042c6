import { Readable } from 'node:stream';
import type { Pieces } from '@clean-sieve/core';
import { ZipFile } from 'yazl';

/**
 * A zip archive of several files, made as their pieces come; the packing runs beside the making of the pieces.
 * @param made date that the files bear
 */
export async function* zipped(files: readonly { name: string; pieces: Pieces }[], made: Date): AsyncGenerator<Uint8Array> {
  const zip = new ZipFile();
  const streams: Readable[] = [];
  for (const { name, pieces } of files)
    zip.addReadStreamLazy(name, { mtime: made }, (taken) => {
      // Pieces are made ahead while those before are packed in another thread.
      const stream = Readable.from(batched(pieces), { objectMode: false, highWaterMark: 8 * BATCH });
      streams.push(stream);
      // An error in a piece is the archive's.
      stream.on('error', (error) => output.destroy(error));
      taken(null, stream);
    });
  const output = zip.outputStream as Readable;
  zip.end();
  try {
    for await (const chunk of output) yield chunk as Uint8Array;
  } finally {
    // Where the archive is given up, what was being read for it is closed.
    for (const stream of streams) stream.destroy();
  }
}

/** Small pieces together, so that streams are not kept busy with them. */
const BATCH = 1 << 17;

async function* batched(pieces: Pieces): AsyncGenerator<Buffer> {
  let batch: Buffer[] = [];
  let size = 0;
  for await (const piece of pieces) {
    const bytes = typeof piece === 'string' ? Buffer.from(piece) : Buffer.from(piece.buffer, piece.byteOffset, piece.length);
    batch.push(bytes);
    size += bytes.length;
    if (size < BATCH) continue;
    yield Buffer.concat(batch);
    [batch, size] = [[], 0];
  }
  if (size > 0) yield Buffer.concat(batch);
}
