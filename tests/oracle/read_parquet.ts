import { DuckDBInstance } from '@duckdb/node-api';
import type { Position } from 'geojson';
import type { Read, WrittenFeature } from './written_values.ts';

/** What DuckDB finds in a Parquet file. */
export async function readParquet(path: string): Promise<WrittenFeature[]> {
  const duckdb = await (await DuckDBInstance.create(':memory:')).connect();
  try {
    const file = `read_parquet('${path}')`;
    const schema = (await duckdb.runAndReadAll(`DESCRIBE SELECT * FROM ${file}`)).getRowObjectsJson() as {
      column_name: string;
      column_type: string;
    }[];
    const columns = schema.map(({ column_name: name, column_type: type }) => {
      const quoted = `"${name.replaceAll('"', '""')}"`;
      if (isShape(type)) return `hex(ST_AsWKB(${quoted})) AS ${quoted}`;
      return type.startsWith('TIMESTAMP') ? `epoch_ms(${quoted}) AS ${quoted}` : `${quoted}`;
    });
    const rows = (await duckdb.runAndReadAll(`SELECT ${columns.join(', ')} FROM ${file}`)).getRowObjectsJS();
    const types = new Map(schema.map(({ column_name: name, column_type: type }) => [name, type]));
    return rows.map((row) => {
      const values: Record<string, Read> = {};
      let at: Position[] | null = null;
      for (const [name, value] of Object.entries(row)) {
        const type = types.get(name)!;
        if (isShape(type)) at = typeof value === 'string' ? positionsOf(Buffer.from(value, 'hex')) : null;
        else if (value === null) values[name] = null;
        else if (type.startsWith('TIMESTAMP')) values[name] = { moment: Number(value) };
        else if (value instanceof Date) values[name] = { day: value.toISOString().slice(0, 10) };
        else values[name] = typeof value === 'bigint' ? Number(value) : (value as string | number | boolean);
      }
      return { values, at };
    });
  } finally {
    duckdb.closeSync();
  }
}

const isShape = (type: string) => type.startsWith('GEOMETRY');

/** The positions in well-known binary (OGC 06-103r4, clause 8, little-endian), each once, in order. */
function positionsOf(bytes: Buffer): Position[] {
  const found = new Map<string, Position>();
  let at = 0;
  const whole = () => bytes.readUInt32LE((at += 4) - 4);
  const take = (numbers: number) => {
    const [x, y] = [bytes.readDoubleLE(at), bytes.readDoubleLE(at + 8)];
    at += 8 * numbers;
    if (!Number.isNaN(x)) found.set(`${x} ${y}`, [x, y]);
  };
  const shape = (): void => {
    at += 1;
    const type = whole();
    const numbers = type >= 1000 ? 3 : 2;
    if (type % 1000 === 1) return take(numbers);
    for (let left = whole(); left > 0; left--)
      if (type % 1000 === 2) take(numbers);
      else if (type % 1000 === 3) for (let corners = whole(); corners > 0; corners--) take(numbers);
      else shape();
  };
  shape();
  return [...found.values()].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
}
