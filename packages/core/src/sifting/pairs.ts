import { checkpoint } from '../checkpoint.ts';
import { CHUNK_ROWS } from '../features/column.ts';
import type { Box, GeometryChunk } from '../features/geometry.ts';
import { count, has, type Mask } from '../features/mask.ts';
import type { RowTest } from '../space/intersects.ts';
import { Shape } from '../space/shape.ts';

/** Geometries of one side of a relation; `rows` says which take part, null all of them. */
export interface Side {
  chunks: GeometryChunk[];
  rows: Mask | null;
  count: number;
  /** The other side is of the same table; no feature is compared with itself. */
  same: boolean;
}

/**
 * One side of a relation.
 * @param rows which of them take part; null all
 * @param same whether the other side is of the same table
 */
export function sideOf(chunks: GeometryChunk[], rows: Mask | null, same = false): Side {
  return { chunks, rows, same, count: rows ? count(rows) : chunks.reduce((sum, chunk) => sum + chunk.rows, 0) };
}

/** A row that many others are tested against. */
export interface Fixed {
  chunk: GeometryChunk;
  row: number;
  shape: Shape;
}

/** A relation between a row of one side and a row of the other. */
export interface PairTest {
  /** Boxes that a row's box must meet to be worth testing against something in this box. */
  boxes(box: Box): Box[];
  /**
   * Makes a row ready and calls `work` with what tests the rows of a chunk of the other side against it.
   * @param theirs whether the fixed row is of the other side, which matters where the order does
   */
  against(fixed: Fixed, theirs: boolean, work: (testOf: (chunk: GeometryChunk) => RowTest) => void): void;
}

/**
 * Calls with every pair of rows that are in a relation. The smaller side is gone through row by row; the other is looked up in its index.
 * @param settled rows of mine of which nothing more needs to be known
 */
export function eachPair(
  mine: Side,
  theirs: Side,
  relation: PairTest,
  settled: (row: number) => boolean,
  visit: (row: number, other: number) => void,
): void {
  const turned = theirs.count > mine.count;
  const [outer, inner] = turned ? [mine, theirs] : [theirs, mine];
  outer.chunks.forEach((chunk, outerGroup) => {
    for (let row = 0; row < chunk.rows; row++) {
      const at = outerGroup * CHUNK_ROWS + row;
      if (chunk.isMissing(row) || (outer.rows && !has(outer.rows, at)) || (turned && settled(at))) continue;
      checkpoint();
      const shape = Shape.ofRow(chunk, row);
      const boxes = shape.box[0] <= shape.box[2] ? relation.boxes(shape.box) : [];
      if (boxes.length === 0) continue;
      const candidates = inner.chunks.map((other, chunkNumber) => ({
        chunk: other,
        offset: chunkNumber * CHUNK_ROWS,
        rows: boxes.length === 1 ? other.rowsInBox(boxes[0]) : [...new Set(boxes.flatMap((box) => other.rowsInBox(box)))],
      }));
      const work = (testOf: (chunk: GeometryChunk) => RowTest) => {
        for (const { chunk: other, offset, rows } of candidates) {
          const test = testOf(other);
          for (const [i, candidate] of rows.entries()) {
            if ((i & 255) === 255) checkpoint();
            const otherAt = offset + candidate;
            if (inner.rows && !has(inner.rows, otherAt)) continue;
            const [my, their] = turned ? [at, otherAt] : [otherAt, at];
            if (theirs.same && my === their) continue;
            if (settled(my)) {
              if (turned) return;
              continue;
            }
            if (test(candidate)) visit(my, their);
          }
        }
      };
      if (candidates.some(({ rows }) => rows.length > 0)) relation.against({ chunk, row, shape }, !turned, work);
    }
  });
}
