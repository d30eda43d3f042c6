import { PbfWriter } from 'pbf';
import { lonLatChunks } from '../crs/lon_lat_view.ts';
import { CHUNK_ROWS, valueAt, type Column, type Value } from '../features/column.ts';
import { LINE, POINT, POLYGON, type Box, type GeometryChunk } from '../features/geometry.ts';
import { has, type Mask } from '../features/mask.ts';
import type { FeatureTable } from '../features/table.ts';
import { clippedLine, clippedRing, EXTENT, isInside, MARGIN, type Path } from './clip.ts';

/** With more features than this in a tile, they come without their attributes. */
export const MOST_WITH_ATTRIBUTES = 20_000;

/** West, south, east, north in degrees of a tile of the WebMercatorQuad set (OGC 17-083r4, annex D). */
export function tileBox(z: number, x: number, y: number): Box {
  const lon = (column: number) => (column / 2 ** z) * 360 - 180;
  const lat = (row: number) => (Math.atan(Math.sinh(Math.PI * (1 - (2 * row) / 2 ** z))) * 180) / Math.PI;
  return [lon(x), lat(y + 1), lon(x + 1), lat(y)];
}

/**
 * A vector tile (Mapbox Vector Tile specification 2.1) of the features that are kept, in the WebMercatorQuad set. Every kept feature
 * in the tile is there: a shape that is smaller than a unit becomes a unit.
 * @param columns written as attributes
 */
export function vectorTile(
  table: FeatureTable,
  kept: Mask | null,
  columns: readonly Column[],
  name: string,
  z: number,
  x: number,
  y: number,
): Uint8Array<ArrayBuffer> {
  const [west, south, east, north] = tileBox(z, x, y);
  const [aside, up] = [((east - west) * MARGIN) / EXTENT, ((north - south) * MARGIN) / EXTENT];
  const box: Box = [west - aside, south - up, east + aside, north + up];
  const rows = lonLatChunks(table).flatMap((chunk, chunkNumber) =>
    chunk
      .rowsInBox(box)
      .map((row) => chunkNumber * CHUNK_ROWS + row)
      .filter((row) => !kept || has(kept, row)),
  );
  rows.sort((a, b) => a - b);
  const project = projection(z, x, y);
  const layer = new LayerBuilder(name);
  const shown = rows.length <= MOST_WITH_ATTRIBUTES ? columns : [];
  const chunks = lonLatChunks(table);
  for (const row of rows) {
    const chunk = chunks[Math.floor(row / CHUNK_ROWS)];
    for (const { type, commands } of geometryCommands(chunk, row % CHUNK_ROWS, project)) {
      layer.add(
        row + 1,
        type,
        commands,
        shown.map((column) => [column.name, valueAt(column, row)]),
      );
    }
  }
  return layer.finish();
}

type Project = (lon: number, lat: number) => [number, number];

function projection(z: number, x: number, y: number): Project {
  const scale = EXTENT * 2 ** z;
  return (lon, lat) => {
    const sin = Math.max(-0.9999, Math.min(0.9999, Math.sin((lat * Math.PI) / 180)));
    const row = 0.5 - Math.log((1 + sin) / (1 - sin)) / (4 * Math.PI);
    return [((lon + 180) / 360) * scale - x * EXTENT, row * scale - y * EXTENT];
  };
}

/** The drawing commands of a row, by kind of shape: points, lines and polygons of a collection become features of their own. */
function* geometryCommands(chunk: GeometryChunk, row: number, project: Project): Generator<{ type: number; commands: number[] }> {
  const { rowParts, partKinds, partRings, ringVertices, xy } = chunk;
  const pathOf = (g: number): Path => {
    const path: Path = [];
    for (let v = ringVertices[g]; v < ringVertices[g + 1]; v++) path.push(...project(xy[2 * v], xy[2 * v + 1]));
    return path;
  };
  for (const kind of [POINT, LINE, POLYGON] as const) {
    const encoder = new Commands();
    for (let p = rowParts[row]; p < rowParts[row + 1]; p++) {
      if (partKinds[p] !== kind) continue;
      const [from, to] = [partRings[p], partRings[p + 1]];
      if (kind === POINT) {
        const [x, y] = pathOf(from);
        if (isInside(x, y)) encoder.point(Math.round(x), Math.round(y));
      } else if (kind === LINE) for (const piece of clippedLine(pathOf(from))) encoder.line(rounded(piece));
      else {
        for (let g = from; g < to; g++) {
          const ring = clippedRing(pathOf(g));
          if (!encoder.ring(rounded(ring), g === from) && g === from) break;
        }
      }
    }
    if (!encoder.isEmpty) yield { type: kind + 1, commands: encoder.finish(kind === POINT) };
  }
}

/** Whole units, without positions that repeat the one before. */
function rounded(path: Path): Path {
  const out: Path = [];
  for (let i = 0; i < path.length; i += 2) {
    const [x, y] = [Math.round(path[i]), Math.round(path[i + 1])];
    if (out.length === 0 || x !== out[out.length - 2] || y !== out[out.length - 1]) out.push(x, y);
  }
  return out;
}

const [MOVE_TO, LINE_TO, CLOSE_PATH] = [1, 2, 7];
const zigzag = (value: number) => (value << 1) ^ (value >> 31);

/** Geometry as the specification encodes it (clause 4.3): commands with steps from the last position. */
class Commands {
  #out: number[] = [];
  #points = 0;
  #x = 0;
  #y = 0;

  get isEmpty(): boolean {
    return this.#out.length === 0;
  }

  #step(x: number, y: number): void {
    this.#out.push(zigzag(x - this.#x), zigzag(y - this.#y));
    [this.#x, this.#y] = [x, y];
  }

  point(x: number, y: number): void {
    this.#points++;
    this.#step(x, y);
  }

  line(path: Path): void {
    if (path.length === 0) return;
    // What is smaller than a unit is drawn as one.
    const whole = path.length === 2 ? [...path, path[0] + 1, path[1]] : path;
    this.#out.push((1 << 3) | MOVE_TO);
    this.#step(whole[0], whole[1]);
    this.#out.push((((whole.length - 2) / 2) << 3) | LINE_TO);
    for (let i = 2; i < whole.length; i += 2) this.#step(whole[i], whole[i + 1]);
  }

  /** Shells have a positive area with y down, holes a negative one. @returns whether the ring was drawn */
  ring(path: Path, shell: boolean): boolean {
    if (path.length === 0) return false;
    let ring = path;
    if (ring.length > 2 && ring[0] === ring[ring.length - 2] && ring[1] === ring[ring.length - 1]) ring = ring.slice(0, -2);
    const area = areaOf(ring);
    if (area === 0) {
      if (!shell) return false;
      ring = strip(ring);
    } else if (area > 0 !== shell) ring = turned(ring);
    this.#out.push((1 << 3) | MOVE_TO);
    this.#step(ring[0], ring[1]);
    this.#out.push((((ring.length - 2) / 2) << 3) | LINE_TO);
    for (let i = 2; i < ring.length; i += 2) this.#step(ring[i], ring[i + 1]);
    this.#out.push((1 << 3) | CLOSE_PATH);
    return area !== 0;
  }

  finish(points: boolean): number[] {
    return points ? [(this.#points << 3) | MOVE_TO, ...this.#out] : this.#out;
  }
}

/** Of a ring that is narrower than a unit: a strip of a unit from its one end to the other. */
function strip(ring: Path): Path {
  let [a, b] = [0, 0];
  for (let i = 0; i < ring.length; i += 2) {
    if (ring[i] < ring[a] || (ring[i] === ring[a] && ring[i + 1] < ring[a + 1])) a = i;
    if (ring[i] > ring[b] || (ring[i] === ring[b] && ring[i + 1] > ring[b + 1])) b = i;
  }
  const [x1, y1, x2, y2] = [ring[a], ring[a + 1], ring[b], ring[b + 1]];
  if (x1 === x2 && y1 === y2) return [x1, y1, x1 + 1, y1, x1 + 1, y1 + 1, x1, y1 + 1];
  const flat = x2 - x1 >= Math.abs(y2 - y1);
  const whole = flat ? [x1, y1, x2, y2, x2, y2 + 1, x1, y1 + 1] : [x1, y1, x1 + 1, y1, x2 + 1, y2, x2, y2];
  return areaOf(whole) > 0 ? whole : turned(whole);
}

/** Twice the area, positive where the ring runs clockwise on a screen. */
function areaOf(ring: Path): number {
  let sum = 0;
  for (let i = 0; i < ring.length; i += 2) {
    const next = (i + 2) % ring.length;
    sum += ring[i] * ring[next + 1] - ring[next] * ring[i + 1];
  }
  return sum;
}

function turned(ring: Path): Path {
  const out: Path = [];
  for (let i = ring.length - 2; i >= 0; i -= 2) out.push(ring[i], ring[i + 1]);
  return out;
}

/** One layer of a tile; keys and values stand once, features point at them. */
class LayerBuilder {
  #name: string;
  #features: { id: number; type: number; commands: number[]; tags: number[] }[] = [];
  #keys = new Map<string, number>();
  #values = new Map<string | number | boolean, number>();

  constructor(name: string) {
    this.#name = name;
  }

  add(id: number, type: number, commands: number[], attributes: [string, Value][]): void {
    const tags: number[] = [];
    for (const [name, value] of attributes) {
      if (value === null) continue;
      tags.push(placeOf(this.#keys, name), placeOf(this.#values, value));
    }
    this.#features.push({ id, type, commands, tags });
  }

  finish(): Uint8Array<ArrayBuffer> {
    const tile = new PbfWriter();
    if (this.#features.length === 0) return tile.finish().slice();
    tile.writeMessage(
      3,
      (_: unknown, layer: PbfWriter) => {
        layer.writeVarintField(15, 2);
        layer.writeStringField(1, this.#name);
        for (const feature of this.#features)
          layer.writeMessage(
            2,
            (_feature: unknown, out: PbfWriter) => {
              out.writeVarintField(1, feature.id);
              if (feature.tags.length > 0) out.writePackedVarint(2, feature.tags);
              out.writeVarintField(3, feature.type);
              out.writePackedVarint(4, feature.commands);
            },
            null,
          );
        for (const key of this.#keys.keys()) layer.writeStringField(3, key);
        for (const value of this.#values.keys())
          layer.writeMessage(
            4,
            (_value: unknown, out: PbfWriter) => {
              if (typeof value === 'string') out.writeStringField(1, value);
              else if (typeof value === 'boolean') out.writeBooleanField(7, value);
              else if (Number.isSafeInteger(value)) out.writeSVarintField(6, value);
              else out.writeDoubleField(3, value);
            },
            null,
          );
        layer.writeVarintField(5, EXTENT);
      },
      null,
    );
    return tile.finish().slice();
  }
}

function placeOf<K>(known: Map<K, number>, key: K): number {
  let place = known.get(key);
  if (place === undefined) known.set(key, (place = known.size));
  return place;
}
