import { onlyLayer, type Format } from '../format.ts';
import { writeGeoJson } from './write.ts';

export const geojson: Format = {
  name: 'geojson',
  label: 'GeoJSON',
  extensions: ['.geojson', '.json'],
  mediaType: 'application/geo+json',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read.ts')).readGeoJson(input, options),
  writing: {
    kind: 'file',
    extension: '.geojson',
    mediaType: 'application/geo+json',
    lonLatOnly: true,
    pieces: writeGeoJson,
  },
};
