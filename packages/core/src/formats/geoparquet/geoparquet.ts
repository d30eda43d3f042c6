import { offsetLosses, vagueDateLosses } from '../losses.ts';
import { onlyLayer, type Format } from '../format.ts';

export const geoparquet: Format = {
  name: 'geoparquet',
  label: 'GeoParquet',
  extensions: ['.parquet', '.geoparquet'],
  mediaType: 'application/vnd.apache.parquet',
  signature: (_, text) => text.startsWith('PAR1'),
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_geoparquet.ts')).readGeoParquet(input, options),
  writing: {
    kind: 'file',
    extension: '.parquet',
    mediaType: 'application/vnd.apache.parquet',
    losses: (layer) => [...vagueDateLosses(layer), ...offsetLosses(layer, 'kept')],
    async *pieces(layer) {
      yield* (await import('./write_geoparquet.ts')).writeGeoParquet(layer);
    },
  },
};
