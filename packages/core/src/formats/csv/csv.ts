import { onlyLayer, type Format } from '../format.ts';
import { readCsv } from './read.ts';
import { lossesOfCsv, writeCsv } from './write.ts';

export const csv: Format = {
  name: 'csv',
  label: 'CSV',
  extensions: ['.csv', '.tsv', '.txt'],
  mediaType: 'text/csv; charset=utf-8',
  layers: onlyLayer,
  read: readCsv,
  writing: {
    kind: 'file',
    extension: '.csv',
    mediaType: 'text/csv; charset=utf-8',
    pieces: writeCsv,
    losses: lossesOfCsv,
  },
};
