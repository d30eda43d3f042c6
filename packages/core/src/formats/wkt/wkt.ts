import { onlyLayer, type Format } from '../format.ts';

/** Shapes alone, one a line, as well-known text (OGC 06-103r4, clause 7). */
export const wkt: Format = {
  name: 'wkt',
  label: 'Well-known text',
  extensions: ['.wkt', '.ewkt'],
  mediaType: 'text/plain; charset=utf-8',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_wkt.ts')).readWkt(input, options),
};
