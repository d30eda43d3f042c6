import { sharedHeightLosses } from '../losses.ts';
import type { Format } from '../format.ts';

export const topojson: Format = {
  name: 'topojson',
  label: 'TopoJSON',
  extensions: ['.topojson'],
  mediaType: 'application/json',
  signature: (_, text) => /^\{\s*"type"\s*:\s*"Topology"/.test(text),
  layers: async (input) => (await import('./read_topojson.ts')).layersOfTopoJson(input),
  read: async (input, options) => (await import('./read_topojson.ts')).readTopoJson(input, options),
  writing: {
    kind: 'file',
    extension: '.topojson',
    mediaType: 'application/json',
    lonLatOnly: true,
    losses: sharedHeightLosses,
    async *pieces(layer) {
      yield* (await import('./write_topojson.ts')).writeTopoJson(layer);
    },
  },
};
