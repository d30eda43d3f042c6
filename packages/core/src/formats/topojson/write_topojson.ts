import type { FeatureCollection } from 'geojson';
import { topology } from 'topojson-server';
import { lonLatGeometryAt } from '../../crs/lon_lat_view.ts';
import { emptyProperties } from '../taking.ts';
import { valuesOf, type WrittenLayer } from '../writing.ts';

/** TopoJSON 1.0.0 with arcs shared between neighbours and coordinates in full (no quantization), longitude and latitude. */
export function* writeTopoJson(layer: WrittenLayer): Generator<string> {
  const { table, rows } = layer;
  const fields = table.columns.map((column) => ({ column, read: valuesOf(column) }));
  const features = Array.from(rows, (row) => {
    const properties = emptyProperties();
    let id: string | number | undefined;
    for (const { column, read } of fields) {
      const value = read(row);
      if (column.role !== 'id') properties[column.name] = value;
      else if (value !== null) id = value as string | number;
    }
    const geometry = layer.shapes ? lonLatGeometryAt(table, row) : null;
    return { type: 'Feature', ...(id === undefined ? {} : { id }), geometry, properties };
  });
  const collection = { type: 'FeatureCollection', features } as FeatureCollection;
  yield JSON.stringify(topology({ [layer.name]: collection }));
  yield '\n';
}
