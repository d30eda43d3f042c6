import { offsetLosses, vagueDateLosses } from '../losses.ts';
import type { Format } from '../format.ts';
import { fillGeoPackage } from './write_geopackage.ts';

export const geopackage: Format = {
  name: 'geopackage',
  label: 'GeoPackage',
  extensions: ['.gpkg'],
  mediaType: 'application/geopackage+sqlite3',
  signature: (_, text) => text.startsWith('SQLite format 3\0'),
  layers: async (input) => (await import('./read_geopackage.ts')).layersOfGeoPackage(input),
  read: async (input, options) => (await import('./read_geopackage.ts')).readGeoPackage(input, options),
  writing: {
    kind: 'database',
    extension: '.gpkg',
    mediaType: 'application/geopackage+sqlite3',
    mostColumns: 1998,
    losses: (layer) => [...vagueDateLosses(layer), ...offsetLosses(layer, 'utc')],
    fill: fillGeoPackage,
  },
};
