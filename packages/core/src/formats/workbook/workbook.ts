import { lossesOfCells } from '../csv/write_csv.ts';
import { vagueDateLosses } from '../losses.ts';
import { ReadError } from '../read_error.ts';
import type { Format } from '../format.ts';
import { onlyLayer } from '../format.ts';

/** A spreadsheet workbook (Office Open XML, ISO/IEC 29500): handed out only. */
export const workbook: Format = {
  name: 'workbook',
  label: 'Spreadsheet workbook',
  short: 'Spreadsheet',
  writtenOnly: true,
  extensions: ['.xlsx'],
  mediaType: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  layers: onlyLayer,
  read: () => Promise.reject(new ReadError('A spreadsheet workbook cannot be brought in', 'Save the sheet as CSV and bring that in')),
  writing: {
    kind: 'file',
    cells: { guard: false },
    mostColumns: 16_381,
    losses: (layer) => [...lossesOfCells(layer), ...vagueDateLosses(layer)],
    extension: '.xlsx',
    mediaType: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    async *pieces(layer) {
      yield* (await import('./write_workbook.ts')).writeWorkbook(layer);
    },
  },
};
