import { lonLatExtentOf, layersIn, periodCovered, readLayer, summarise } from '@clean-sieve/core';
import { stat } from 'node:fs/promises';
import { crsNamed } from '../crs/epsg.ts';
import { fileInput, host } from '../files/file_input.ts';
import { UsageError } from './usage_error.ts';

/** What there is to know of a layer of a file before it is sifted. */
export interface LayerLook {
  layer: string | null;
  format: string;
  features: number;
  /** As it is called, with its code where it has one. */
  system: string;
  /** West, south, east, north in degrees; null where there is no geometry. */
  extent: number[] | null;
  /** The time that its dates cover, by the column that has most of them. */
  period: { column: string; from: string; to: string } | null;
  columns: {
    name: string;
    type: string;
    blanks: number;
    distinct: number;
    smallest: number | string | boolean | null;
    largest: number | string | boolean | null;
  }[];
  notes: string[];
}

/**
 * Looks at every layer of a file, or at one.
 * @param options.sourceCrs the system, where the file does not say
 */
export async function lookAt(file: string, options: { layer?: string; sourceCrs?: string }): Promise<{ layers: LayerLook[] }> {
  const info = await stat(file).catch(() => null);
  if (!info?.isFile()) throw new UsageError(`There is no file ${file}`);
  const given = options.sourceCrs === undefined ? null : crsNamed(options.sourceCrs);
  const all = await layersIn(await fileInput(file), host);
  const wanted = options.layer === undefined ? all : all.filter(({ name }) => name === options.layer);
  if (wanted.length === 0) throw new UsageError(`There is no layer ${options.layer}; there are ${all.map(({ name }) => name).join(', ')}`);
  const layers: LayerLook[] = [];
  for (const layer of wanted) {
    const { table, notes } = await readLayer(layer, {}, host, given);
    const extent = lonLatExtentOf(table);
    layers.push({
      layer: layer.name,
      format: layer.format.name,
      features: table.rows,
      system: table.crs.name,
      extent: extent[0] <= extent[2] ? [...extent] : null,
      period: periodCovered(table.columns),
      columns: table.columns.map((column) => {
        const { nulls, distinct, min, max } = summarise(column, table.rows);
        return { name: column.name, type: column.type, blanks: nulls, distinct, smallest: min, largest: max };
      }),
      notes,
    });
  }
  return { layers };
}
