import { columnOfValues } from '../derive/column_of_values.ts';
import type { ColumnSchema } from '../features/column.ts';
import type { FeatureTable } from '../features/table.ts';

/**
 * A part of a layer with the columns that the layer is known to have: those without a value in the part have no type of their own there,
 * or are missing altogether, and conditions would not fit them.
 */
export function withKnownColumns(table: FeatureTable, known: readonly ColumnSchema[]): FeatureTable {
  const blank = ({ name, type, role }: ColumnSchema) => ({
    ...columnOfValues(name, type, table.rows, () => null),
    ...(role ? { role } : {}),
  });
  const columns = table.columns.map((column) => {
    const one = known.find(({ name }) => name === column.name);
    const isBlank = column.chunks.every(({ nulls, rows }) => nulls === rows);
    return one && isBlank && one.type !== column.type ? blank(one) : column;
  });
  const missing = known.filter(({ name }) => !columns.some((column) => column.name === name));
  return { ...table, columns: [...columns, ...missing.map(blank)] };
}
