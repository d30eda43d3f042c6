/** A file to read. Readers take it as a stream where they can and whole where the format asks for it. */
export interface Input {
  /** File name with its ending, without folders. */
  name: string;
  /** Bytes. */
  size: number;
  stream(): AsyncIterable<Uint8Array>;
  bytes(): Promise<Uint8Array<ArrayBuffer>>;
  /** Another file of the same name with another ending (".dbf"), null when there is none. */
  sibling(extension: string): Promise<Input | null>;
  /** Opens the file as an SQLite database, read-only. */
  database(): Promise<SqliteFile>;
}

/** The little of SQLite that a reader needs; the host brings the driver. */
export interface SqliteFile {
  /** Rows as objects by column name; blobs are Uint8Array, integers beyond 2⁵³ are BigInt. */
  rows(sql: string, ...values: (string | number)[]): Iterable<Record<string, unknown>>;
  close(): void;
}

/** A file that is already in memory, with the files beside it. */
export function memoryInput(
  name: string,
  content: Uint8Array,
  beside: ReadonlyMap<string, Uint8Array> = new Map(),
  database: (bytes: Uint8Array) => Promise<SqliteFile> = () => Promise.reject(new Error('No SQLite driver')),
): Input {
  const stem = name.replace(/\.[^.]*$/, '');
  return {
    name,
    size: content.length,
    async *stream() {
      const step = 1 << 20;
      for (let at = 0; at < content.length; at += step) yield await Promise.resolve(content.subarray(at, at + step));
    },
    bytes: () => Promise.resolve(content.slice()),
    sibling(extension) {
      for (const [other, bytes] of beside) {
        if (other.toLowerCase() === `${stem}${extension}`.toLowerCase())
          return Promise.resolve(memoryInput(other, bytes, beside, database));
      }
      return Promise.resolve(null);
    },
    database: () => database(content),
  };
}

/** First bytes of a file. */
export async function headOf(input: Input, length: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of input.stream()) {
    parts.push(chunk);
    size += chunk.length;
    if (size >= length) break;
  }
  const out = new Uint8Array(Math.min(size, length));
  let at = 0;
  for (const part of parts) {
    out.set(part.subarray(0, out.length - at), at);
    at += Math.min(part.length, out.length - at);
  }
  return out;
}
