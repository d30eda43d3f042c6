import { onlyLayer, type Format } from '../format.ts';
import { lossesOfShapefile, shapefileParts } from './write.ts';

export const shapefile: Format = {
  name: 'shapefile',
  label: 'Shapefile',
  extensions: ['.shp'],
  mediaType: 'application/vnd.shp',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read.ts')).readShapefile(input, options),
  writing: {
    kind: 'files',
    extension: '.zip',
    mediaType: 'application/zip',
    mostColumns: 255,
    losses: lossesOfShapefile,
    parts: shapefileParts,
  },
};
