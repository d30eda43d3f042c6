import type { SchemaElement } from 'hyparquet';
import { ByteWriter, ParquetWriter, type ColumnSource } from 'hyparquet-writer';
import { projJsonOf } from '../../crs/projjson.ts';
import { CHUNK_ROWS, type Column } from '../../features/column.ts';
import { has } from '../../features/mask.ts';
import { freeName } from '../../features/table_builder.ts';
import { wkbOfRow } from '../geometry/row_wkb.ts';
import { ReadError } from '../read_error.ts';
import { boxOfRows, fileTypeOf, hasHeights, lacksOffsets, typesIn, valuesOf, type FileType, type WrittenLayer } from '../writing.ts';

/** Rows of a row group; memory holds one. */
const GROUP = 50_000;

/**
 * GeoParquet 1.1 (OGC 24-013): shapes as well-known binary, dates and instants as Parquet's own types, snappy compression.
 * A table without shapes is plain Parquet. Throws a ReadError for a system that cannot be put as PROJJSON.
 */
export function* writeGeoParquet(layer: WrittenLayer): Generator<Uint8Array> {
  const { table, rows } = layer;
  const names = new Set(table.columns.map(({ name }) => name));
  const geometryName = freeName('geometry', names);
  const z = layer.shapes && hasHeights(table, rows);
  const columns = table.columns.map((column) => ({ column, type: fileTypeOf(column, rows) }));
  const schema: SchemaElement[] = [
    { name: 'schema', num_children: columns.length + (layer.shapes ? 1 : 0) },
    ...columns.map(({ column, type }) => elementOf(column, type)),
    ...(layer.shapes ? [{ name: geometryName, type: 'BYTE_ARRAY' as const, repetition_type: 'OPTIONAL' as const }] : []),
  ];
  const writer = new ByteWriter(1 << 20);
  const parquet = new ParquetWriter({
    writer,
    schema,
    createdBy: 'clean-sieve',
    ...(layer.shapes ? { kvMetadata: [{ key: 'geo', value: JSON.stringify(geoOf(layer, geometryName, z)) }] } : {}),
  });
  const taken = (): Uint8Array => {
    const bytes = new Uint8Array(writer.buffer.slice(0, writer.index));
    writer.index = 0;
    return bytes;
  };
  for (let from = 0; from < rows.length; from += GROUP) {
    const group = rows.subarray(from, from + GROUP);
    const columnData: ColumnSource[] = columns.map(({ column, type }) => ({
      name: column.name,
      data: Array.from(group, readerOf(column, type)),
    }));
    if (layer.shapes) {
      const data = Array.from(group, (row) => wkbOfRow(table.geometry[Math.floor(row / CHUNK_ROWS)], row % CHUNK_ROWS, { z }));
      // Binary values have no order that would be worth keeping their smallest and largest for.
      columnData.push({ name: geometryName, data, statistics: false });
    }
    if (columnData.length > 0) void parquet.write({ columnData, rowGroupSize: GROUP });
    yield taken();
  }
  void parquet.finish();
  yield taken();
}

function geoOf(layer: WrittenLayer, name: string, z: boolean): unknown {
  const { table, rows } = layer;
  const crs = projJsonOf(table.crs, layer.wkt);
  if (crs === null)
    throw new ReadError(
      `GeoParquet cannot say what ${table.crs.label} is: its projection has no translation here`,
      'Choose longitude and latitude, or another system',
    );
  const types = typesIn(table, rows);
  types.delete('None');
  const box = boxOfRows(table, rows);
  return {
    version: '1.1.0',
    primary_column: name,
    columns: {
      [name]: {
        encoding: 'WKB',
        geometry_types: [...types].map((type) => (z ? `${type} Z` : type)),
        ...(table.crs.definition === null ? {} : { crs }),
        ...(box[0] <= box[2] ? { bbox: box } : {}),
      },
    },
  };
}

function elementOf(column: Column, type: FileType): SchemaElement {
  const base = { name: column.name, repetition_type: 'OPTIONAL' as const };
  switch (type) {
    case 'integer':
      return { ...base, type: 'INT32' };
    case 'long':
      return { ...base, type: 'INT64' };
    case 'double':
      return { ...base, type: 'DOUBLE' };
    case 'boolean':
      return { ...base, type: 'BOOLEAN' };
    case 'date':
      return { ...base, type: 'INT32', converted_type: 'DATE', logical_type: { type: 'DATE' } };
    case 'datetime': {
      const isAdjustedToUTC = !lacksOffsets(column);
      return { ...base, type: 'INT64', logical_type: { type: 'TIMESTAMP', isAdjustedToUTC, unit: 'MILLIS' } };
    }
    case 'text':
      return { ...base, type: 'BYTE_ARRAY', converted_type: 'UTF8', logical_type: { type: 'STRING' } };
  }
}

function readerOf(column: Column, type: FileType): (row: number) => unknown {
  const read = valuesOf(column);
  if (type === 'long')
    return (row) => {
      const value = read(row);
      return value === null ? null : BigInt(value);
    };
  if (type !== 'date' && type !== 'datetime') return read;
  return (row) => {
    const chunk = column.chunks[Math.floor(row / CHUNK_ROWS)];
    const i = row % CHUNK_ROWS;
    if (chunk.validity && !has(chunk.validity, i)) return null;
    if (chunk.type === 'date') return chunk.days[i];
    return chunk.type === 'datetime' ? new Date(chunk.millis[i]) : null;
  };
}
