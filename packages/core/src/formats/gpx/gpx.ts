import { isXml } from '../kml/is_xml.ts';
import { onlyLayer, type Format } from '../format.ts';

export const gpx: Format = {
  name: 'gpx',
  label: 'GPX',
  extensions: ['.gpx'],
  mediaType: 'application/gpx+xml',
  signature: (_, text) => isXml(text) && /<gpx[\s>]/.test(text),
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_gpx.ts')).readGpx(input, options),
};
