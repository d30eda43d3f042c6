import { onlyLayer, type Format } from '../format.ts';
import { lossesOfCsv, writeCsv } from './write_csv.ts';

export const csv: Format = {
  name: 'csv',
  label: 'CSV',
  extensions: ['.csv', '.tsv', '.txt'],
  mediaType: 'text/csv; charset=utf-8',
  anyText: true,
  layers: onlyLayer,
  read: async (input, options) => (await import('./read_csv.ts')).readCsv(input, options),
  writing: {
    kind: 'file',
    cells: { guard: true },
    extension: '.csv',
    mediaType: 'text/csv; charset=utf-8',
    pieces: writeCsv,
    losses: lossesOfCsv,
  },
};
