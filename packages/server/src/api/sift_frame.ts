import type { SiftHead } from './contract.ts';

/** A sift answer on the wire: the length of the head in bytes (Uint32, little-endian), the head as JSON, the mask. */
export function packSift(head: SiftHead, mask: Uint32Array<ArrayBuffer>): Uint8Array<ArrayBuffer> {
  const json = new TextEncoder().encode(JSON.stringify(head));
  const out = new Uint8Array(4 + json.length + mask.byteLength);
  new DataView(out.buffer).setUint32(0, json.length, true);
  out.set(json, 4);
  out.set(new Uint8Array(mask.buffer, mask.byteOffset, mask.byteLength), 4 + json.length);
  return out;
}

export function unpackSift(bytes: ArrayBuffer): { head: SiftHead; mask: Uint32Array<ArrayBuffer> } {
  const length = new DataView(bytes).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as SiftHead;
  return { head, mask: new Uint32Array(bytes.slice(4 + length)) };
}
