import type { MadeDatabase } from '../writing.ts';

type Cell = string | number | bigint | null | Uint8Array;

/** A statement takes this many values at most here; SQLite's own limit is 32,766. */
const MOST_VALUES = 512;

/** Rows go into a table several a statement, which is quicker than one by one; `end` puts the last ones in. */
export function inserter(database: MadeDatabase, table: string, width: number): { add(row: readonly Cell[]): void; end(): void } {
  const together = Math.max(1, Math.floor(MOST_VALUES / width));
  const places = `(${Array<string>(width).fill('?').join(', ')})`;
  const into = (rows: number) => database.statement(`INSERT INTO ${table} VALUES ${Array<string>(rows).fill(places).join(', ')}`);
  const several = into(together);
  const cells: Cell[] = [];
  return {
    add(row) {
      for (const cell of row) cells.push(cell);
      if (cells.length < together * width) return;
      several(...cells);
      cells.length = 0;
    },
    end() {
      if (cells.length > 0) into(cells.length / width)(...cells);
      cells.length = 0;
    },
  };
}
