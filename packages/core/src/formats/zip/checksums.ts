/** Checksums of the files in a zip archive, which the unpacking library does not look at (APPNOTE.TXT 6.3.10, 4.3.12 and 4.4.7). */

let table: Uint32Array | null = null;

/** CRC-32 of ISO 3309, as zip archives use it. */
export function crc32(bytes: Uint8Array): number {
  table ??= Uint32Array.from({ length: 256 }, (_, n) => {
    let c = n;
    for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    return c;
  });
  let sum = 0xffffffff;
  for (let i = 0; i < bytes.length; i++) sum = table[(sum ^ bytes[i]) & 255] ^ (sum >>> 8);
  return (sum ^ 0xffffffff) >>> 0;
}

/** The checksum that the archive's directory has of each file, by its path; of a path that occurs twice none. */
export function checksumsOf(archive: Uint8Array): Map<string, number> {
  const view = new DataView(archive.buffer, archive.byteOffset, archive.byteLength);
  const sums = new Map<string, number>();
  const twice = new Set<string>();
  let end = archive.length - 22;
  while (end >= 0 && view.getUint32(end, true) !== 0x06054b50) end--;
  if (end < 0) return sums;
  let at = view.getUint32(end + 16, true);
  while (at + 46 <= archive.length && view.getUint32(at, true) === 0x02014b50) {
    const [name, extra, comment] = [28, 30, 32].map((field) => view.getUint16(at + field, true));
    const utf8 = (view.getUint16(at + 8, true) & 0x800) !== 0;
    const path = new TextDecoder(utf8 ? 'utf-8' : 'latin1').decode(archive.subarray(at + 46, at + 46 + name));
    if (sums.has(path)) twice.add(path);
    sums.set(path, view.getUint32(at + 16, true));
    at += 46 + name + extra + comment;
  }
  for (const path of twice) sums.delete(path);
  return sums;
}
