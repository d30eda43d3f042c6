import { parseArgs } from 'node:util';
import { Cancelled, FilterError, ReadError } from '@clean-sieve/core';
import { runNote } from './run.ts';
import { sift } from './sift.ts';
import { UsageError } from './usage_error.ts';

const USAGE = `Usage: clean-sieve sift FILE --where 'FILTER' [options]
       clean-sieve run NOTE.json SOURCE… [--out FILE] [--overwrite]

Keeps the features of FILE for which FILTER (CQL2, OGC 21-065r2) is true and prints one line of JSON:
how many were read, how many are kept, for how many the filter is unknown because a value is blank.

  --where FILTER        CQL2 Text, or CQL2 JSON; without it every feature is kept
  --check               print only what is probably not meant in the filter, with the filter that mends it
  --explain             add the numbers of each condition: what reaches it, is left, is unknown, is kept by it
                        alone, and would be kept without it
  --out FILE            write the kept features; the ending names the format: .gpkg, .geojson, .geojsonl, .csv, .fgb,
                        .parquet, .kml, .kmz, .topojson, .xlsx, or .zip for a shapefile
  --overwrite           replace FILE if it is there already
  --formulas            in CSV, leave texts that begin with = + - @ as they are; else an apostrophe stands in front
  --columns A,B,…       only these columns, in this order
  --rename OLD=NEW      another name for a column in the file; can be given again
  --crs EPSG:n          coordinate system of what is written (default: that of FILE; longitude, latitude for GeoJSON, KML,
                        TopoJSON, CSV and workbooks)
  --geometry WHAT       as-is, centroid, inside (a point surely inside), buffer:METRES, simplify:METRES, none; for tables
                        also wkt
  --order COLUMN        order of the rows, COLUMN:desc for falling
  --filter-crs EPSG:n   coordinate system of the geometries in the filter (default: longitude, latitude)
  --as-of YYYY-MM-DD    the day that relative dates count from (default: today, UTC)
  --with NAME=FILE      another file, which the filter can speak of as SOURCE('NAME'); can be given again
  --layer NAME          the layer to read from a file with several
  --source-crs EPSG:n   coordinate system of FILE, where it does not say or says it wrong
  --lon NAME, --lat NAME  the columns of a table with longitude (easting) and latitude (northing)
  --wkt NAME            the column of a table with well-known text

run makes an extract again from its note and the files of its sources (a file of another name as NAME=FILE), and prints
whether the result is identical: the same rows, columns, values and shapes. It ends with 1 when it is not.
`;

async function main(): Promise<void> {
  const [command, ...rest] = process.argv.slice(2);
  if (command === '--help' || command === 'help' || (command === 'sift' && rest.includes('--help'))) {
    process.stdout.write(USAGE);
    return;
  }
  if (command === 'run') return run(rest);
  if (command !== 'sift')
    throw new UsageError(
      command ? `There is no command ${command}; the commands are sift and run` : 'A command is needed: clean-sieve sift FILE --where …',
    );
  const { values, positionals } = parseArgs({
    args: rest,
    allowPositionals: true,
    options: {
      where: { type: 'string' },
      out: { type: 'string' },
      layer: { type: 'string' },
      'filter-crs': { type: 'string' },
      'as-of': { type: 'string' },
      lon: { type: 'string' },
      lat: { type: 'string' },
      wkt: { type: 'string' },
      crs: { type: 'string' },
      'source-crs': { type: 'string' },
      columns: { type: 'string' },
      rename: { type: 'string', multiple: true },
      geometry: { type: 'string' },
      order: { type: 'string' },
      overwrite: { type: 'boolean' },
      formulas: { type: 'boolean' },
      explain: { type: 'boolean' },
      check: { type: 'boolean' },
      with: { type: 'string', multiple: true },
    },
  });
  if (positionals.length !== 1)
    throw new UsageError(positionals.length === 0 ? 'Name the file to read' : `One file at a time, not ${positionals.length}`);
  const result = await sift(positionals[0], {
    ...values,
    filterCrs: values['filter-crs'],
    sourceCrs: values['source-crs'],
    asOf: values['as-of'],
  });
  process.stdout.write(`${JSON.stringify(result)}\n`);
}

async function run(args: string[]): Promise<void> {
  const options = { out: { type: 'string' }, overwrite: { type: 'boolean' } } as const;
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options });
  const [note, ...files] = positionals;
  if (note === undefined) throw new UsageError('Name the note: clean-sieve run NOTE.json SOURCE…');
  const result = await runNote(note, files, values);
  process.stdout.write(`${JSON.stringify(result)}\n`);
  if (!result.identical) process.exitCode = 1;
}

main().catch((error: unknown) => {
  const line =
    error instanceof FilterError || error instanceof ReadError
      ? error.line
      : error instanceof Cancelled
        ? 'Stopped'
        : (error as Error).message;
  process.stderr.write(`clean-sieve: ${line.replaceAll('\n', ' ')}\n`);
  process.exitCode = 2;
});
