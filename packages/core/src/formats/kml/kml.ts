import { onlyLayer, type Format } from '../format.ts';
import type { WrittenLayer } from '../writing.ts';
import { isXml } from './is_xml.ts';

export const kml: Format = {
  name: 'kml',
  label: 'KML',
  extensions: ['.kml'],
  mediaType: 'application/vnd.google-earth.kml+xml',
  signature: (_, text) => isXml(text) && /<(\w+:)?kml[\s>]/.test(text),
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_kml.ts')).readKml(input, options),
  writing: {
    kind: 'file',
    extension: '.kml',
    mediaType: 'application/vnd.google-earth.kml+xml',
    lonLatOnly: true,
    async *pieces(layer) {
      yield* (await import('./write_kml.ts')).writeKml(layer);
    },
  },
};

/** KML in a zip archive; brought in, it is opened like any archive. */
export const kmz: Format = {
  ...kml,
  name: 'kmz',
  label: 'KMZ, KML in an archive',
  short: 'KMZ',
  archive: true,
  signature: undefined,
  extensions: ['.kmz'],
  mediaType: 'application/vnd.google-earth.kmz',
  writing: {
    kind: 'files',
    extension: '.kmz',
    mediaType: 'application/vnd.google-earth.kmz',
    lonLatOnly: true,
    parts: (layer) => [{ name: 'doc.kml', pieces: lazily(layer) }],
  },
};

async function* lazily(layer: WrittenLayer) {
  yield* (await import('./write_kml.ts')).writeKml(layer);
}
