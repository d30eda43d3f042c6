import { onlyLayer, type Format } from '../format.ts';

export const shapefile: Format = {
  name: 'shapefile',
  label: 'Shapefile',
  extensions: ['.shp'],
  mediaType: 'application/vnd.shp',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read.ts')).readShapefile(input, options),
};
