import { onlyLayer, type Format } from '../format.ts';
import { readGeoJson } from './read.ts';
import { writeGeoJson } from './write.ts';

export const geojson: Format = {
  name: 'geojson',
  label: 'GeoJSON',
  extensions: ['.geojson', '.json'],
  mediaType: 'application/geo+json',
  layers: onlyLayer,
  read: readGeoJson,
  writing: {
    kind: 'file',
    extension: '.geojson',
    mediaType: 'application/geo+json',
    lonLatOnly: true,
    pieces: writeGeoJson,
  },
};
