import { onlyLayer, type Format } from '../format.ts';

export const kml: Format = {
  name: 'kml',
  label: 'KML',
  extensions: ['.kml'],
  mediaType: 'application/vnd.google-earth.kml+xml',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read.ts')).readKml(input, options),
};
