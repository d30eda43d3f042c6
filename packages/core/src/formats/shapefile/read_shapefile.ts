import type { CrsClue } from '../../crs/crs.ts';
import { freeName } from '../../features/table_builder.ts';
import type { ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';
import { openDbf, type DbfTable } from './dbf.ts';
import { hasMeasures, PartsError, shapesIn } from './shp.ts';

/**
 * Reads a shapefile from its .shp with the .dbf, .prj and .cpg beside it. No package at hand keeps Z, logicals and nulls
 * apart and says at which record a file is damaged, so the two parsers are ours.
 */
export async function readShapefile(input: Input, options: ReadOptions): Promise<ReadResult> {
  const taking = new Taking(options);
  const beside = async (extension: string) => (await input.sibling(extension))?.bytes() ?? null;
  const text = async (extension: string) => {
    const bytes = await beside(extension);
    return bytes && new TextDecoder().decode(bytes).trim();
  };
  const dbfBytes = await beside('.dbf');
  const dbf = dbfBytes && openDbf(dbfBytes, await text('.cpg'));
  if (!dbf) taking.notes.push('There is no .dbf file beside the .shp, so the features have no columns.');
  const names = dbf ? columnNames(dbf, taking) : [];
  names.forEach((name) => taking.builder.column(name));
  let record = 0;
  const shp = await input.bytes();
  for (const geometry of shapesIn(shp)) {
    if (taking.full) break;
    const where = `Record ${record + 1}`;
    const values = dbf && record < dbf.records ? dbf.record(record) : null;
    if (dbf && record < dbf.records && values === null) {
      taking.remark('refused', where, 'the record is marked as deleted');
    } else {
      if (geometry instanceof PartsError) taking.remark('refused', where, geometry.message);
      const shape = geometry instanceof PartsError ? null : geometry;
      taking.feature(shape, values && Object.fromEntries(names.map((name, i) => [name, values[i]])), where);
    }
    record++;
  }
  if (dbf && dbf.records !== record && !taking.full) {
    throw new ReadError(
      `The .shp file has ${record} shapes, but the .dbf file has ${dbf.records} records`,
      'The two do not belong together, or one of them was not copied whole',
    );
  }
  if (hasMeasures(shp)) taking.notes.push('The M values of the shapes were left out.');
  const prj = await text('.prj');
  const crs: CrsClue = prj ? { kind: 'wkt', wkt: prj } : { kind: 'unknown' };
  return taking.result(crs, dbf?.encoding);
}

function columnNames(dbf: DbfTable, taking: Taking): string[] {
  const names: string[] = [];
  for (const field of dbf.fields) {
    const name = freeName(field === '' ? 'column' : field, new Set(names));
    if (name !== field) taking.notes.push(`The column name ${field} stands there more than once; the later one is called ${name} here.`);
    names.push(name);
  }
  return names;
}
