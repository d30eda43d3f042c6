import { LINE, POINT, type GeometryChunk } from '../../features/geometry.ts';

/**
 * Well-known binary (OGC 06-103r4, clause 8) of one row, little-endian, straight from the flat buffers.
 * @param multi a single shape as a multiple one of one part
 * @param z with heights, by the codes of ISO 13249-3; NaN where a vertex has none
 * @param room bytes to leave free in front
 * @returns null for a row without geometry
 */
export function wkbOfRow(chunk: GeometryChunk, row: number, { multi = false, z = false, room = 0 } = {}): Uint8Array<ArrayBuffer> | null {
  const { types, rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const type = types[row];
  if (type === 0) return null;
  const [firstPart, lastPart] = [rowParts[row], rowParts[row + 1]];
  const single = type <= 3 && !multi;
  if (single && firstPart === lastPart) return null;
  const level = z ? 1000 : 0;
  let size = room + (single ? 0 : 9);
  for (let p = firstPart; p < lastPart; p++) {
    const rings = partRings[p + 1] - partRings[p];
    const vertices = ringVertices[partRings[p + 1]] - ringVertices[partRings[p]];
    size += 5 + (z ? 24 : 16) * vertices + (partKinds[p] === POINT ? 0 : partKinds[p] === LINE ? 4 : 4 + 4 * rings);
  }
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  let at = room;
  const head = (code: number, items: number | null) => {
    view.setUint8(at, 1);
    view.setUint32(at + 1, code + level, true);
    at += 5;
    if (items === null) return;
    view.setUint32(at, items, true);
    at += 4;
  };
  if (!single) head(type <= 3 ? type + 3 : type, lastPart - firstPart);
  for (let p = firstPart; p < lastPart; p++) {
    const kind = partKinds[p];
    const [from, to] = [partRings[p], partRings[p + 1]];
    head(kind + 1, kind === POINT ? null : kind === LINE ? ringVertices[to] - ringVertices[from] : to - from);
    for (let g = from; g < to; g++) {
      if (kind > LINE) {
        view.setUint32(at, ringVertices[g + 1] - ringVertices[g], true);
        at += 4;
      }
      for (let v = ringVertices[g]; v < ringVertices[g + 1]; v++) {
        view.setFloat64(at, xy[2 * v], true);
        view.setFloat64(at + 8, xy[2 * v + 1], true);
        at += 16;
        if (!z) continue;
        view.setFloat64(at, chunk.z.length > 0 ? chunk.z[v] : NaN, true);
        at += 8;
      }
    }
  }
  return bytes;
}
