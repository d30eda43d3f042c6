import { onlyLayer, type Format } from '../format.ts';
import { writeGeoJsonLines } from './write_geojson.ts';

export const geojsonSeq: Format = {
  name: 'geojsonseq',
  label: 'GeoJSON, one feature a line',
  short: 'GeoJSON lines',
  extensions: ['.geojsonl', '.geojsons', '.ndjson', '.jsonl'],
  mediaType: 'application/geo+json-seq',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_geojson.ts')).readGeoJson(input, options),
  writing: {
    kind: 'file',
    extension: '.geojsonl',
    mediaType: 'application/geo+json-seq',
    lonLatOnly: true,
    pieces: writeGeoJsonLines,
  },
};
