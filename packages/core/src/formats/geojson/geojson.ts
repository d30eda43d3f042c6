import { onlyLayer, type Format } from '../format.ts';
import { writeGeoJson } from './write_geojson.ts';

export const geojson: Format = {
  name: 'geojson',
  label: 'GeoJSON',
  extensions: ['.geojson', '.json'],
  mediaType: 'application/geo+json',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_geojson.ts')).readGeoJson(input, options),
  writing: {
    kind: 'file',
    extension: '.geojson',
    mediaType: 'application/geo+json',
    lonLatOnly: true,
    pieces: writeGeoJson,
  },
};
