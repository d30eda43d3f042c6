import { LINE, POINT, type GeometryChunk } from '../../features/geometry.ts';

/**
 * Well-known binary (OGC 06-103r4, clause 8) of one row, little-endian and without Z, straight from the flat buffers.
 * @returns null for a row without geometry
 */
export function wkbOfRow(chunk: GeometryChunk, row: number): Uint8Array<ArrayBuffer> | null {
  const { types, rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const type = types[row];
  if (type === 0) return null;
  const [firstPart, lastPart] = [rowParts[row], rowParts[row + 1]];
  const single = type <= 3;
  if (single && firstPart === lastPart) return null;
  let size = single ? 0 : 9;
  for (let p = firstPart; p < lastPart; p++) {
    const rings = partRings[p + 1] - partRings[p];
    const vertices = ringVertices[partRings[p + 1]] - ringVertices[partRings[p]];
    size += 5 + 16 * vertices + (partKinds[p] === POINT ? 0 : partKinds[p] === LINE ? 4 : 4 + 4 * rings);
  }
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  let at = 0;
  const head = (code: number, items: number | null) => {
    view.setUint8(at, 1);
    view.setUint32(at + 1, code, true);
    at += 5;
    if (items === null) return;
    view.setUint32(at, items, true);
    at += 4;
  };
  if (!single) head(type, lastPart - firstPart);
  for (let p = firstPart; p < lastPart; p++) {
    const kind = partKinds[p];
    const [from, to] = [partRings[p], partRings[p + 1]];
    head(kind + 1, kind === POINT ? null : kind === LINE ? ringVertices[to] - ringVertices[from] : to - from);
    for (let g = from; g < to; g++) {
      if (kind > LINE) {
        view.setUint32(at, ringVertices[g + 1] - ringVertices[g], true);
        at += 4;
      }
      for (let i = 2 * ringVertices[g]; i < 2 * ringVertices[g + 1]; i++, at += 8) view.setFloat64(at, xy[i], true);
    }
  }
  return bytes;
}
