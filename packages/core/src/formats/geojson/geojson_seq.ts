import { onlyLayer, type Format } from '../format.ts';
import { readGeoJson } from './read.ts';
import { writeGeoJsonLines } from './write.ts';

export const geojsonSeq: Format = {
  name: 'geojsonseq',
  label: 'GeoJSON, one feature a line',
  extensions: ['.geojsonl', '.geojsons', '.ndjson', '.jsonl'],
  mediaType: 'application/geo+json-seq',
  layers: onlyLayer,
  read: readGeoJson,
  writing: {
    kind: 'file',
    extension: '.geojsonl',
    mediaType: 'application/geo+json-seq',
    lonLatOnly: true,
    pieces: writeGeoJsonLines,
  },
};
