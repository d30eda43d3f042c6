import { midnightLosses, vagueDateLosses } from '../losses.ts';
import { onlyLayer, type Format } from '../format.ts';

export const flatgeobuf: Format = {
  name: 'flatgeobuf',
  label: 'FlatGeobuf',
  extensions: ['.fgb'],
  mediaType: 'application/flatgeobuf',
  layers: onlyLayer,
  read: async (input, options) => (await import('./read.ts')).readFlatGeobuf(input, options),
  writing: {
    kind: 'file',
    extension: '.fgb',
    mediaType: 'application/flatgeobuf',
    losses: (layer) => [...vagueDateLosses(layer), ...midnightLosses(layer)],
    async *pieces(layer) {
      yield* (await import('./write.ts')).writeFlatGeobuf(layer);
    },
  },
};
