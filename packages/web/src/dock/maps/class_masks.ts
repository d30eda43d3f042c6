import { emptyMask, put } from '@clean-sieve/core';

/**
 * A mask for each class, of the features that are in it.
 * @param codes the class of each row
 * @param kept only these; null for all
 */
export function classMasks(codes: Uint8Array, numbers: readonly number[], kept: Uint32Array | null): Map<number, Uint32Array<ArrayBuffer>> {
  const masks = new Map(numbers.map((number) => [number, emptyMask(codes.length)]));
  const byCode = Array.from({ length: 256 }, (_, code) => masks.get(code));
  for (let row = 0; row < codes.length; row++) {
    if (kept && (kept[row >>> 5] & (1 << (row & 31))) === 0) continue;
    const mask = byCode[codes[row]];
    if (mask) put(mask, row);
  }
  return masks;
}
