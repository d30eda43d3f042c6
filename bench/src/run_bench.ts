import { attributeFilters, databaseOf, tableOf } from './attribute_filter.ts';
import { compare, type Outcome } from './compared.ts';
import { derivedColumns, joinByText } from './computing.ts';
import { fetching } from './fetching.ts';
import { filterLanguage } from './filter_language.ts';
import { importFormats } from './import_formats.ts';
import { spatialJoins } from './spatial_join.ts';
import { stackChange } from './stack_change.ts';
import { stackInDatabase } from './stack_there.ts';
import { writeFormats } from './write_formats.ts';
import { zoneFigures } from './zone_figures.ts';

const millis = (value: number) => `${value.toFixed(value < 1000 ? 1 : 0)} ms`.padStart(10);
let missed = 0;
function print(outcome: Outcome, reference: string, more = ''): void {
  const { name, ours, reference: theirs, ratio, target } = outcome;
  if (ratio > target) missed++;
  console.log(
    `${name.padEnd(54)} ours ${millis(ours)}  ${reference} ${millis(theirs)}  ratio ${ratio.toFixed(2)}  target ${target} ${ratio <= target ? '' : '  MISSED'}${more}`,
  );
}

const table = tableOf();
const database = await databaseOf();
for (const comparison of [...attributeFilters(table, database), stackChange(table), ...(await filterLanguage())])
  print(await compare(comparison), comparison.reference.name);
for (const comparison of [await derivedColumns(table, database), await joinByText(database)])
  print(await compare(comparison, 5), comparison.reference.name);
print(await zoneFigures(), 'GeoPandas');
print(await fetching(), 'GDAL');
print(await stackInDatabase(), 'by hand');
for (const comparison of await spatialJoins()) print(await compare(comparison, 5), comparison.reference.name);
for (const outcome of await importFormats())
  print(outcome, 'GDAL', `  file ${outcome.megabytes.toFixed(0)} MB, process at most ${outcome.peak.toFixed(0)} MB`);
for (const outcome of await writeFormats())
  print(
    outcome,
    'GDAL',
    `  file ${outcome.megabytes.toFixed(0)} MB, beside the source ${outcome.peaks.map((peak) => peak.toFixed(0)).join(' MB for a half, ')} MB for all`,
  );
process.exitCode = missed > 0 ? 1 : 0;
