import { strToU8, Zip, ZipDeflate } from 'fflate';
import type { Pieces } from '../writing.ts';

/** A zip archive of several files, made as their pieces come. @param made date that the files bear */
export async function* zipped(
  files: Iterable<{ name: string; pieces: Pieces }>,
  made: Date,
): AsyncGenerator<Uint8Array> {
  let ready: Uint8Array[] = [];
  let failure: Error | null = null;
  const zip = new Zip((error, bytes) => {
    if (error) failure = error;
    else ready.push(bytes);
  });
  const taken = function* () {
    if (failure) throw failure;
    yield* ready;
    ready = [];
  };
  for (const { name, pieces } of files) {
    const file = new ZipDeflate(name, { level: 6 });
    file.mtime = made;
    zip.add(file);
    for await (const piece of pieces) {
      file.push(typeof piece === 'string' ? strToU8(piece) : piece);
      yield* taken();
    }
    file.push(new Uint8Array(0), true);
    yield* taken();
  }
  zip.end();
  yield* taken();
}
