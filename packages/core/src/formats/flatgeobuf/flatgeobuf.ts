import { midnightLosses, vagueDateLosses } from '../losses.ts';
import { onlyLayer, type Format } from '../format.ts';

export const flatgeobuf: Format = {
  name: 'flatgeobuf',
  label: 'FlatGeobuf',
  extensions: ['.fgb'],
  mediaType: 'application/flatgeobuf',
  // Three letters and the version as a number, which no text goes on with.
  signature: (head, text) => text.startsWith('fgb') && head[3] < 32,
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_flatgeobuf.ts')).readFlatGeobuf(input, options),
  writing: {
    kind: 'file',
    extension: '.fgb',
    note: 'FlatGeobuf sorts features by place, for its index.',
    mediaType: 'application/flatgeobuf',
    losses: (layer) => [...vagueDateLosses(layer), ...midnightLosses(layer)],
    async *pieces(layer) {
      yield* (await import('./write_flatgeobuf.ts')).writeFlatGeobuf(layer);
    },
  },
};
