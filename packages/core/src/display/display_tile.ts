import { checkpoint } from '../checkpoint.ts';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import { LINE, POINT, POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import type { FeatureTable } from '../features/table.ts';
import { clippedLine, clippedRing, EXTENT, HIGH, LOW, MARGIN, type Path } from '../tiles/clip.ts';
import { tileBox } from '../tiles/mvt.ts';
import { FARTHEST_LATITUDE } from './mercator.ts';
import { PLANE_HALF, planeNamed, type DisplayPlane, type PlaneName } from './plane.ts';
import type { DisplayTile } from './tile_bytes.ts';

/** The last number before a whole turn. */
const LAST = 1 - Number.EPSILON / 2;
/** Units of the smallest shape that is not a dot: a pixel where a tile is 512 pixels wide. */
const DOT = 8;
/** Vertices nearer than this to the last one, in units, are left out: half a pixel. */
const STEP = 4;
/** An edge is parted into no more pieces than this: one round the whole earth every two degrees. */
const MOST_PIECES = 180;

/** @param x,y column and row of the tile at zoom level z of the square that holds the plane */
export function displayTile(table: FeatureTable, z: number, x: number, y: number, plane: PlaneName = 'mercator'): DisplayTile {
  return plane === 'mercator' ? webTile(table, z, x, y) : planeTile(table, z, x, y, plane);
}

/** Degrees that what is drawn in a tile lies in, with the margin of the tile; beyond 180° it goes on. Arguments as of `displayTile`. */
export function boxOfTile(z: number, x: number, y: number, plane: PlaneName = 'mercator'): Box {
  return plane === 'mercator'
    ? webBox(z, x, y)
    : planeNamed(plane).around(new PlanePlacing(planeNamed(plane), plane === 'world', z, x, y).box);
}

function webBox(z: number, x: number, y: number): Box {
  const [west, south, east, north] = tileBox(z, x, y);
  const [aside, up] = [((east - west) * MARGIN) / EXTENT, ((north - south) * MARGIN) / EXTENT];
  // The map ends before the poles: what lies beyond is drawn at its edge.
  const [bottom, top] = [y === 2 ** z - 1 ? -90 : south - up, y === 0 ? 90 : north + up];
  return [west - aside, bottom, east + aside, top];
}

function webTile(table: FeatureTable, z: number, x: number, y: number): DisplayTile {
  const builder = new TileBuilder(new WebPlacing(z, x, y));
  const box = webBox(z, x, y);
  for (const [chunkNumber, chunk] of lonLatChunks(table).entries())
    // Longitudes that go on beyond 180° come round again.
    for (const turn of [0, 360, -360]) {
      const turned: Box = [box[0] + turn, box[1], box[2] + turn, box[3]];
      const rows = rowsOfChunk(chunk, turned);
      let done = 0;
      for (const row of rows) {
        if ((done++ & 4095) === 0) checkpoint();
        builder.add(chunk, row, chunkNumber * CHUNK_ROWS + row, turn);
      }
    }
  return builder.finish();
}

function planeTile(table: FeatureTable, z: number, x: number, y: number, name: PlaneName): DisplayTile {
  const plane = planeNamed(name);
  const placing = new PlanePlacing(plane, name === 'world', z, x, y);
  const builder = new TileBuilder(placing);
  const [west, south, east, north] = plane.around(placing.box);
  for (const [chunkNumber, chunk] of lonLatChunks(table).entries()) {
    const seen = new Set<number>();
    for (const turn of [0, 360, -360]) {
      for (const row of rowsOfChunk(chunk, [west + turn, south, east + turn, north])) {
        // Round a pole a place is the same after a turn.
        if (name !== 'world' && seen.has(row)) continue;
        seen.add(row);
        if ((seen.size & 4095) === 0) checkpoint();
        builder.add(chunk, row, chunkNumber * CHUNK_ROWS + row, turn);
      }
    }
  }
  return builder.finish();
}

/** Where places lie in a tile, in its units. */
interface Placing {
  /** Of a point; null where it is not drawn. */
  point(lon: number, lat: number, turn: number): [x: number, y: number] | null;
  /** The vertices of a ring or line, without those that nothing would be seen of; where the system has no position, there is none. */
  path(xy: Float64Array, from: number, to: number, turn: number): Path;
  /** How far down a single position is drawn. */
  down(y: number): number;
}

class WebPlacing implements Placing {
  readonly #scale: number;
  readonly #left: number;
  readonly #top: number;
  /** The map ends here, above and below. */
  readonly #ends: [above: boolean, below: boolean];

  constructor(z: number, x: number, y: number) {
    this.#scale = EXTENT * 2 ** z;
    [this.#left, this.#top] = [x * EXTENT, y * EXTENT];
    this.#ends = [y === 0, y === 2 ** z - 1];
  }

  point(lon: number, lat: number, turn: number): [number, number] {
    return [this.#x(lon - turn), this.#y(lat)];
  }

  /** What lies beyond the end of the map is drawn at its edge. */
  down(y: number): number {
    const [above, below] = this.#ends;
    return above && y < 0 ? 0 : below && y >= EXTENT ? EXTENT - 1 : y;
  }

  path(xy: Float64Array, from: number, to: number, turn: number): Path {
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

  #x(lon: number): number {
    const turns = lon / 360 + 0.5;
    // What lies before 180° is in the last tile, however near it lies: the sum above rounds the last of it to a whole turn.
    return (lon < 180 ? Math.min(turns, LAST) : turns) * this.#scale - this.#left;
  }

  #y(lat: number): number {
    const sin = Math.sin((Math.max(-FARTHEST_LATITUDE, Math.min(FARTHEST_LATITUDE, lat)) * Math.PI) / 180);
    return (0.5 - Math.log((1 + sin) / (1 - sin)) / (4 * Math.PI)) * this.#scale - this.#top;
  }
}

/** In a plane where edges that are straight in longitude and latitude are curved. */
class PlanePlacing implements Placing {
  /** The tile with its margin, in metres of the plane. */
  readonly box: Box;
  readonly #plane: DisplayPlane;
  /** The plane ends at the 180° meridian. */
  readonly #ends: boolean;
  readonly #scale: number;
  readonly #left: number;
  readonly #top: number;

  constructor(plane: DisplayPlane, ends: boolean, z: number, x: number, y: number) {
    [this.#plane, this.#ends] = [plane, ends];
    const side = (2 * PLANE_HALF) / 2 ** z;
    const [left, top] = [x * side - PLANE_HALF, PLANE_HALF - y * side];
    const margin = (side * MARGIN) / EXTENT;
    this.box = [left - margin, top - side - margin, left + side + margin, top + margin];
    this.#scale = EXTENT / side;
    [this.#left, this.#top] = [x * EXTENT, y * EXTENT];
  }

  point(lon: number, lat: number, turn: number): [number, number] | null {
    const [least, most] = this.#plane.latitudes;
    const at = lon - turn;
    if (lat < least || lat > most || (this.#ends && !(at >= -180 && at < 180))) return null;
    return this.#unit(at, lat);
  }

  down(y: number): number {
    return y;
  }

  path(xy: Float64Array, from: number, to: number, turn: number): Path {
    const [least, most] = this.#plane.latitudes;
    let [west, south, east, north] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let v = from; v < to; v++) {
      const [lon, lat] = [xy[2 * v] - turn, xy[2 * v + 1]];
      [west, south, east, north] = [Math.min(west, lon), Math.min(south, lat), Math.max(east, lon), Math.max(north, lat)];
    }
    if (north < least || south > most || (this.#ends && (west >= 180 || east < -180))) return [];
    const path: Path = [];
    let [lastX, lastY] = [NaN, NaN];
    let before: [number, number] | null = null;
    for (let v = from; v < to; v++) {
      const [lon, lat] = [this.#within(xy[2 * v] - turn), Math.max(least, Math.min(most, xy[2 * v + 1]))];
      if (!Number.isFinite(lon + lat)) continue;
      const longest: number = before ? Math.max(Math.abs(lon - before[0]), Math.abs(lat - before[1])) : 0;
      const pieces = Math.max(1, Math.min(MOST_PIECES, Math.ceil(longest / this.#plane.straight)));
      for (let piece = 1; piece <= pieces; piece++) {
        const share = piece / pieces;
        const [fromLon, fromLat] = before ?? [lon, lat];
        const [x, y] = this.#unit(fromLon + share * (lon - fromLon), fromLat + share * (lat - fromLat));
        const isLast = v === to - 1 && piece === pieces;
        if (!isLast && Math.abs(x - lastX) < STEP && Math.abs(y - lastY) < STEP) continue;
        path.push(x, y);
        [lastX, lastY] = [x, y];
      }
      before = [lon, lat];
    }
    return path;
  }

  #within(lon: number): number {
    return this.#ends ? Math.max(-180, Math.min(180, lon)) : lon;
  }

  #unit(lon: number, lat: number): [number, number] {
    const [x, y] = this.#plane.forward(lon, lat);
    // The same number for all tiles, less a whole one: a place on a border is of one of them.
    return [(x + PLANE_HALF) * this.#scale - this.#left, (PLANE_HALF - y) * this.#scale - this.#top];
  }
}

function rowsOfChunk(chunk: GeometryChunk, box: Box): Iterable<number> {
  const [w, s, e, n] = chunk.box;
  if (w > box[2] || e < box[0] || s > box[3] || n < box[1]) return [];
  if (w >= box[0] && e <= box[2] && s >= box[1] && n <= box[3]) return Array(chunk.rows).keys();
  return Uint32Array.from(chunk.rowsInBox(box)).sort();
}

class TileBuilder {
  readonly #placing: Placing;
  readonly #pointRows: number[] = [];
  readonly #pointXy: number[] = [];
  readonly #dotRows: number[] = [];
  readonly #dotXy: number[] = [];
  readonly #partRows: number[] = [];
  readonly #partKinds: number[] = [];
  readonly #partRings = [0];
  readonly #ringVertices = [0];
  readonly #xy: number[] = [];

  constructor(placing: Placing) {
    this.#placing = placing;
  }

  add(chunk: GeometryChunk, row: number, featureRow: number, turn: number): void {
    const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
    for (let part = rowParts[row]; part < rowParts[row + 1]; part++) {
      const kind = partKinds[part];
      const [firstRing, endRing] = [partRings[part], partRings[part + 1]];
      const [from, to] = [ringVertices[firstRing], ringVertices[firstRing + 1]];
      if (to === from) continue;
      if (kind === POINT) {
        const at = this.#placing.point(xy[2 * from], xy[2 * from + 1], turn);
        if (at) this.#place(this.#pointRows, this.#pointXy, featureRow, at);
        continue;
      }
      const shell = this.#placing.path(xy, from, to, turn);
      if (shell.length === 0) continue;
      const [minX, minY, maxX, maxY] = pathBox(shell);
      if (maxX - minX < DOT && maxY - minY < DOT) {
        this.#place(this.#dotRows, this.#dotXy, featureRow, [(minX + maxX) / 2, (minY + maxY) / 2]);
        continue;
      }
      if (minX > HIGH || maxX < LOW || minY > HIGH || maxY < LOW) continue;
      if (kind === LINE || !this.#polygonRing(shell, true)) {
        // A polygon that is narrower than a unit is a line.
        for (const piece of clippedLine(shell)) if (this.#ring(piece, 2)) this.#endPart(featureRow, LINE);
        continue;
      }
      for (let ring = firstRing + 1; ring < endRing; ring++)
        this.#polygonRing(this.#placing.path(xy, ringVertices[ring], ringVertices[ring + 1], turn), false);
      this.#endPart(featureRow, POLYGON);
    }
  }

  /** Keeps a single position if it lies in the tile: on a border between tiles it is of the next one. */
  #place(rows: number[], xy: number[], row: number, [x, y]: readonly [number, number]): void {
    const down = this.#placing.down(y);
    if (!(x >= 0 && x < EXTENT && down >= 0 && down < EXTENT)) return;
    rows.push(row);
    xy.push(Math.floor(x), Math.floor(down));
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
