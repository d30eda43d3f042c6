import { parseArgs } from 'node:util';
import { Cancelled, FilterError, ReadError } from '@clean-sieve/core';
import { lookAt } from './look.ts';
import { runNote } from './rerun.ts';
import { sift } from './sift.ts';
import { UsageError } from './usage_error.ts';
import { zones } from './zones.ts';

const USAGE = `Usage: clean-sieve sift FILE --where 'FILTER' [options]
       clean-sieve zones FILE --by ZONES [--where 'FILTER'] --count [options]
       clean-sieve look FILE [--layer NAME] [--source-crs EPSG:n]
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
  --derive 'NAME = EXPRESSION'  a column computed of the others, in the language of the filter, before it is asked; can be
                        given again, each of those before it
  --join 'TABLE:KEY=KEY'  the columns of another file beside the features of the same key, FILE's column first; several keys
                        as KEY=KEY,KEY=KEY; can be given again, before what is derived
  --several WHAT        what becomes of several rows of one key in what is joined: refuse (default), first, count, sum, mean,
                        min, max
  --alike WHAT,…        what is not looked at when keys are compared: spaces, case, accents, zeros (leading ones)
  --layer NAME          the layer to read from a file with several, the collection of a service, or the table of a database
  --source-crs EPSG:n   coordinate system of FILE, where it does not say or says it wrong
  --lon NAME, --lat NAME  the columns of a table with longitude (easting) and latitude (northing)
  --wkt NAME            the column of a table with well-known text

zones sums up the features of FILE that FILTER keeps by the polygons of ZONES, and prints how many zones and features there
are, how many features lie inside, outside, in several zones, and without a place. --out writes the zones with the figures.

  --by ZONES            the file of the zones; --by-layer NAME for one layer of several, --by-crs EPSG:n for its system
  --count, --share      number of features; share of those that FILTER keeps among all in the zone
  --sum, --mean, --median, --min, --max, --deviation, --distinct COLUMN  a figure of a column; each can be given again
  --weight COLUMN       what sums and means are weighted by
  --area UNIT, --length UNIT  area or length inside, cut in proportion, as in ha or km
  --rate COLUMN/1000    features for each 1,000 of a column of the zones; can be given again
  --spread COLUMN       each figure once for every value of a column, or for every year(COLUMN), month(COLUMN) or
                        month-of-year(COLUMN)
  --in-several WHAT     what lies in several zones counts in each (default), in the first, or in part

FILE can be the address of an OGC API – Features service, or of one of its collections, or of a table with shapes of a PostgreSQL
database: postgresql://user@host/database?table=schema.name. As much of FILTER as they can be asked for is left to them; the answer
tells which part ("pushed"), what was decided here ("here"), and how many features came over ("fetched"). A header that the service
wants stands in the environment: CLEAN_SIEVE_KEY='Authorization: Bearer …', the password of a database there or in its address:
PGPASSWORD=….

look prints what is in FILE: of each layer its features, system, extent and period, of each column its type, blanks,
distinct values, smallest and largest.

run makes an extract again from its note and the files of its sources (a file of another name as NAME=FILE), and prints
whether the result is identical: the same rows, columns, values and shapes. It ends with 1 when it is not. What came from
a service or a database is asked for there again where its address is given, as NAME=ADDRESS.
`;

async function main(): Promise<void> {
  const [command, ...rest] = process.argv.slice(2);
  if (command === '--help' || command === 'help' || rest.includes('--help')) {
    process.stdout.write(USAGE);
    return;
  }
  if (command === 'run') return run(rest);
  if (command === 'look') return look(rest);
  if (command === 'zones') return sumUp(rest);
  if (command !== 'sift')
    throw new UsageError(
      command
        ? `There is no command ${command}; the commands are sift, zones, look and run`
        : 'A command is needed: clean-sieve sift FILE --where …',
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
      derive: { type: 'string', multiple: true },
      join: { type: 'string', multiple: true },
      several: { type: 'string' },
      alike: { type: 'string' },
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

async function sumUp(args: string[]): Promise<void> {
  const text = { type: 'string' } as const;
  const texts = { type: 'string', multiple: true } as const;
  const yes = { type: 'boolean' } as const;
  const options = {
    ...{
      by: text,
      'by-layer': text,
      'by-crs': text,
      where: text,
      out: text,
      layer: text,
      'source-crs': text,
      'as-of': text,
      lon: text,
      lat: text,
      wkt: text,
    },
    ...{ columns: text, rename: texts, geometry: text, order: text, crs: text, overwrite: yes, formulas: yes },
    ...{ count: yes, share: yes, sum: texts, mean: texts, median: texts, min: texts, max: texts, deviation: texts, distinct: texts },
    ...{ area: text, length: text, weight: text, rate: texts, 'in-several': text, spread: text },
  };
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options });
  if (positionals.length !== 1 || values.by === undefined)
    throw new UsageError('Name the file of the features and that of the zones: clean-sieve zones FILE --by ZONES --count');
  const result = await zones(positionals[0], {
    ...values,
    by: values.by,
    byLayer: values['by-layer'],
    byCrs: values['by-crs'],
    sourceCrs: values['source-crs'],
    asOf: values['as-of'],
    several: values['in-several'],
  });
  process.stdout.write(`${JSON.stringify(result)}\n`);
}

async function look(args: string[]): Promise<void> {
  const options = { layer: { type: 'string' }, 'source-crs': { type: 'string' } } as const;
  const { values, positionals } = parseArgs({ args, allowPositionals: true, options });
  if (positionals.length !== 1) throw new UsageError('Name one file: clean-sieve look FILE');
  const found = await lookAt(positionals[0], { layer: values.layer, sourceCrs: values['source-crs'] });
  process.stdout.write(`${JSON.stringify(found)}\n`);
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
