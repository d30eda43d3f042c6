import { onlyLayer, type Format } from '../format.ts';
import { lossesOfShapefile, shapefileParts } from './write_shapefile.ts';

export const shapefile: Format = {
  name: 'shapefile',
  label: 'Shapefile',
  extensions: ['.shp'],
  mediaType: 'application/vnd.shp',
  // The file code 9994, most significant byte first (the format's technical description of 1998).
  signature: ([a, b, c, d], text) => text.length > 4 && a === 0 && b === 0 && c === 0x27 && d === 0x0a,
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_shapefile.ts')).readShapefile(input, options),
  writing: {
    kind: 'files',
    extension: '.zip',
    mediaType: 'application/zip',
    mostColumns: 255,
    losses: lossesOfShapefile,
    parts: shapefileParts,
  },
};
