import { checkpoint } from '../checkpoint.ts';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { GROUP_ROWS } from '../features/column.ts';
import { LINE, POINT, POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import { clippedLine, clippedRing, EXTENT, HIGH, LOW, MARGIN, type Path } from '../tiles/clip.ts';
import { tileBox } from '../tiles/mvt.ts';
import { FARTHEST_LATITUDE } from './mercator.ts';
import type { DisplayTile } from './tile_bytes.ts';

/** The last number before a whole turn. */
const LAST = 1 - Number.EPSILON / 2;
/** Units of the smallest shape that is not a dot: a pixel where a tile is 512 pixels wide. */
const DOT = 8;
/** Vertices nearer than this to the last one, in units, are left out: half a pixel. */
const STEP = 4;

/** @param x,y column and row of the tile at zoom level z */
export function displayTile(table: FeatureTable, z: number, x: number, y: number): DisplayTile {
  const builder = new TileBuilder(z, x, y);
  const [west, south, east, north] = tileBox(z, x, y);
  const [aside, up] = [((east - west) * MARGIN) / EXTENT, ((north - south) * MARGIN) / EXTENT];
  // The map ends before the poles: what lies beyond is drawn at its edge.
  const [bottom, top] = [y === 2 ** z - 1 ? -90 : south - up, y === 0 ? 90 : north + up];
  const box: Box = [west - aside, bottom, east + aside, top];
  for (const [group, chunk] of lonLatChunks(table).entries())
    // Longitudes that go on beyond 180° come round again.
    for (const turn of [0, 360, -360]) {
      const turned: Box = [box[0] + turn, box[1], box[2] + turn, box[3]];
      const rows = rowsOfChunk(chunk, turned);
      let done = 0;
      for (const row of rows) {
        if ((done++ & 4095) === 0) checkpoint();
        builder.add(chunk, row, group * GROUP_ROWS + row, turn);
      }
    }
  return builder.finish();
}

function rowsOfChunk(chunk: GeometryChunk, box: Box): Iterable<number> {
  const [w, s, e, n] = chunk.box;
  if (w > box[2] || e < box[0] || s > box[3] || n < box[1]) return [];
  if (w >= box[0] && e <= box[2] && s >= box[1] && n <= box[3]) return Array(chunk.rows).keys();
  return Uint32Array.from(chunk.rowsInBox(box)).sort();
}

class TileBuilder {
  readonly #scale: number;
  readonly #left: number;
  readonly #top: number;
  /** The map ends here, above and below. */
  readonly #ends: [above: boolean, below: boolean];
  readonly #pointRows: number[] = [];
  readonly #pointXy: number[] = [];
  readonly #dotRows: number[] = [];
  readonly #dotXy: number[] = [];
  readonly #partRows: number[] = [];
  readonly #partKinds: number[] = [];
  readonly #partRings = [0];
  readonly #ringVertices = [0];
  readonly #xy: number[] = [];

  constructor(z: number, x: number, y: number) {
    this.#scale = EXTENT * 2 ** z;
    [this.#left, this.#top] = [x * EXTENT, y * EXTENT];
    this.#ends = [y === 0, y === 2 ** z - 1];
  }

  add(chunk: GeometryChunk, row: number, featureRow: number, turn: number): void {
    const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
    for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
      const kind = partKinds[part];
      const [firstRing, endRing] = [partRings[part], partRings[part + 1]];
      const [from, to] = [ringVertices[firstRing], ringVertices[firstRing + 1]];
      if (to === from) continue;
      if (kind === POINT) {
        this.#place(this.#pointRows, this.#pointXy, featureRow, this.#x(xy[2 * from] - turn), this.#y(xy[2 * from + 1]));
        continue;
      }
      const shell = this.#path(xy, from, to, turn);
      const [minX, minY, maxX, maxY] = pathBox(shell);
      if (maxX - minX < DOT && maxY - minY < DOT) {
        this.#place(this.#dotRows, this.#dotXy, featureRow, (minX + maxX) / 2, (minY + maxY) / 2);
        continue;
      }
      if (minX > HIGH || maxX < LOW || minY > HIGH || maxY < LOW) continue;
      if (kind === LINE || !this.#polygonRing(shell, true)) {
        // A polygon that is narrower than a unit is a line.
        for (const piece of clippedLine(shell)) if (this.#ring(piece, 2)) this.#endPart(featureRow, LINE);
        continue;
      }
      for (let ring = firstRing + 1; ring < endRing; ring++)
        this.#polygonRing(this.#path(xy, ringVertices[ring], ringVertices[ring + 1], turn), false);
      this.#endPart(featureRow, POLYGON);
    }
  }

  #x(lon: number): number {
    const turns = lon / 360 + 0.5;
    // What lies before 180° is in the last tile, however near it lies: the sum above rounds the last of it to a whole turn.
    return (lon < 180 ? Math.min(turns, LAST) : turns) * this.#scale - this.#left;
  }

  #y(lat: number): number {
    const sin = Math.sin((Math.max(-FARTHEST_LATITUDE, Math.min(FARTHEST_LATITUDE, lat)) * Math.PI) / 180);
    return (0.5 - Math.log((1 + sin) / (1 - sin)) / (4 * Math.PI)) * this.#scale - this.#top;
  }

  /** Keeps a single position if it lies in the tile: on a border between tiles it is of the next one. */
  #place(rows: number[], xy: number[], row: number, x: number, y: number): void {
    const [above, below] = this.#ends;
    const down = above && y < 0 ? 0 : below && y >= EXTENT ? EXTENT - 1 : y;
    if (!(x >= 0 && x < EXTENT && down >= 0 && down < EXTENT)) return;
    rows.push(row);
    xy.push(Math.floor(x), Math.floor(down));
  }

  /** Vertices in units, without those that nothing would be seen of; where the system has no position, there is none. */
  #path(xy: Float64Array, from: number, to: number, turn: number): Path {
    const path: Path = [];
    let [lastX, lastY] = [NaN, NaN];
    for (let v = from; v < to; v++) {
      const [x, y] = [this.#x(xy[2 * v] - turn), this.#y(xy[2 * v + 1])];
      if (!Number.isFinite(x + y)) continue;
      if (v < to - 1 && Math.abs(x - lastX) < STEP && Math.abs(y - lastY) < STEP) continue;
      path.push(x, y);
      [lastX, lastY] = [x, y];
    }
    return path;
  }

  /** @returns whether anything of the ring is left */
  #polygonRing(path: Path, shell: boolean): boolean {
    const [minX, minY, maxX, maxY] = pathBox(path);
    if (!shell && maxX - minX < DOT && maxY - minY < DOT) return false;
    const whole = minX >= LOW && maxX <= HIGH && minY >= LOW && maxY <= HIGH;
    const ring = whole ? path.slice(0, -2) : clippedRing(path);
    if (areaOf(ring) > 0 !== shell) turn(ring);
    return this.#ring(ring, 3);
  }

  /**
   * Adds whole units that differ from the one before; nothing where fewer than so many positions are left, or a ring without area.
   * @returns whether it was added
   */
  #ring(path: Path, least: number): boolean {
    const start = this.#xy.length;
    for (let i = 0; i < path.length; i += 2) {
      const [x, y] = [Math.round(path[i]), Math.round(path[i + 1])];
      const end = this.#xy.length;
      if (end === start || x !== this.#xy[end - 2] || y !== this.#xy[end - 1]) this.#xy.push(x, y);
    }
    const flat = least > 2 && areaOf(this.#xy.slice(start)) === 0;
    if (flat || (this.#xy.length - start) / 2 < least) {
      this.#xy.length = start;
      return false;
    }
    this.#ringVertices.push(this.#xy.length / 2);
    return true;
  }

  #endPart(row: number, kind: number): void {
    this.#partRows.push(row);
    this.#partKinds.push(kind);
    this.#partRings.push(this.#ringVertices.length - 1);
  }

  finish(): DisplayTile {
    return {
      pointRows: Uint32Array.from(this.#pointRows),
      pointXy: Int16Array.from(this.#pointXy),
      dotRows: Uint32Array.from(this.#dotRows),
      dotXy: Int16Array.from(this.#dotXy),
      partRows: Uint32Array.from(this.#partRows),
      partKinds: Uint8Array.from(this.#partKinds),
      partRings: Uint32Array.from(this.#partRings),
      ringVertices: Uint32Array.from(this.#ringVertices),
      xy: Int16Array.from(this.#xy),
    };
  }
}

function pathBox(path: Path): Box {
  const box: Box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < path.length; i += 2) {
    const [x, y] = [path[i], path[i + 1]];
    if (x < box[0]) box[0] = x;
    if (y < box[1]) box[1] = y;
    if (x > box[2]) box[2] = x;
    if (y > box[3]) box[3] = y;
  }
  return box;
}

/** Twice the area of an open ring, positive where it runs clockwise on a screen. */
function areaOf(ring: Path): number {
  let sum = 0;
  for (let i = 0, before = ring.length - 2; i < ring.length; before = i, i += 2)
    sum += ring[before] * ring[i + 1] - ring[i] * ring[before + 1];
  return sum;
}

function turn(ring: Path): void {
  for (let i = 0, j = ring.length - 2; i < j; i += 2, j -= 2)
    [ring[i], ring[i + 1], ring[j], ring[j + 1]] = [ring[j], ring[j + 1], ring[i], ring[i + 1]];
}
