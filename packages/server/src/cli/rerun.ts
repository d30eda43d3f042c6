import { readFile as readBytes, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import {
  areasIn,
  checkFilter,
  CRS84,
  dayNumberOf,
  emptyTree,
  exprOfTree,
  FilterError,
  fullMask,
  Geos,
  invalidRows,
  layerDifferences,
  operandsIn,
  makeTable,
  parseFilter,
  repairedGeometry,
  rowsOf,
  Sifter,
  takeRows,
  withDerived,
  zonedKey,
  writtenFormatNamed,
  type AreaShapes,
  type ExtractNote,
  type FeatureTable,
  type Operand,
  type Meanings,
  type NoteLayer,
  type NoteSource,
  type WrittenLayer,
  type ZonedDerivation,
  type ZonedFeatures,
} from '@clean-sieve/core';
import { z } from 'zod';
import { crsNamed, wktOf } from '../crs/epsg.ts';
import { digestOf, hashOfFile } from '../export/digest.ts';
import { keptBySifter } from '../export/kept.ts';
import { writeData } from '../export/write_layers.ts';
import { isElsewhere, readElsewhere, readFile } from './read_file.ts';
import { UsageError } from './usage_error.ts';

export interface RunResult {
  identical: boolean;
  /** What differs, in words; empty when nothing does. */
  differences: string[];
  layers: { name: string; kept: number; of: number }[];
  /** Whether each file is the one that the note was made of; null where the note does not know its hash. */
  sources: { name: string; file: string; same: boolean | null }[];
  out?: string;
}

/** A source with its file, and whether that is the one that the note was made of. */
interface Opened {
  table: FeatureTable;
  file: string;
  same: boolean | null;
}

const note = z.custom<ExtractNote>((value) => {
  const shape = z.object({
    note: z.literal('Clean Sieve extract'),
    version: z.literal(1),
    layers: z.array(z.object({ tree: z.unknown(), choices: z.array(z.unknown()) })).min(1),
    sources: z.array(z.object({ name: z.string(), file: z.string() })),
  });
  return shape.safeParse(value).success;
}, 'not a note');

/**
 * Makes an extract again from its note and the files of its sources, and tells whether the result is identical: the same rows,
 * columns, values and shapes in the same order.
 * @param files paths, or NAME=PATH by the name of the source; the address of a service or a database is asked there again, but only
 * where it is given here: a note can come from anyone
 */
export async function runNote(
  notePath: string,
  files: readonly string[],
  { out, overwrite = false }: { out?: string; overwrite?: boolean },
): Promise<RunResult> {
  if (out !== undefined && !overwrite && (await stat(out).catch(() => null)))
    throw new UsageError(`${out} is there already; choose another name, or add --overwrite to replace it`);
  const told = await readNote(notePath);
  const geos = await Geos.open();
  const made = new Date(told.madeAt);
  const sources = new Map<string, Opened>();
  for (const source of told.sources) {
    const file = fileOf(source, files);
    const table = isElsewhere(file) ? await askAgain(source, file, dayNumberOf(told.asOf), geos) : await openSource(source, file, geos);
    const same = source.sha256 === null || isElsewhere(file) ? null : (await hashOfFile(file)) === source.sha256;
    sources.set(source.name, { table, file, same });
  }
  deriveAll(told, sources, geos);
  const workspace = new NotedWorkspace(told, sources, geos);
  const layers = told.layers.map((layer) => workspace.layer(layer, made, told));
  const differences = layerDifferences(told.layers, layers.map(digestOf));
  if (out !== undefined) await writeData(out, writtenFormatNamed(told.format), layers, []);
  return {
    identical: differences.length === 0,
    differences,
    layers: layers.map(({ name, rows }, i) => ({ name, kept: rows.length, of: sources.get(told.layers[i].source)!.table.rows })),
    sources: [...sources].map(([name, { file, same }]) => ({ name, file, same })),
    ...(out === undefined ? {} : { out }),
  };
}

async function readNote(path: string): Promise<ExtractNote> {
  let value: unknown;
  try {
    value = JSON.parse(await readBytes(path, 'utf8'));
  } catch (error) {
    throw new UsageError(`${path} cannot be read as a note: ${(error as Error).message}; name the .note.json of an extract`);
  }
  const parsed = note.safeParse(value);
  if (!parsed.success) throw new UsageError(`${path} is JSON, but not the note of an extract`);
  return parsed.data;
}

/** Makes the derived columns of all sources, each as soon as all that it is made from is there, in other sources too. */
function deriveAll(told: ExtractNote, sources: Map<string, Opened>, geos: Geos): void {
  const open = told.sources.map(({ name, derived }) => ({ name, wanted: [...derived] }));
  let problem = '';
  for (let isMaking = true; isMaking;) {
    isMaking = false;
    problem = '';
    for (const one of open) {
      if (one.wanted.length === 0) continue;
      const opened = sources.get(one.name)!;
      const { features, waiting } = zonedFeatures(told, sources, one.wanted, geos);
      const makeable = one.wanted.filter(({ name }) => !waiting.has(name));
      const using = { asOf: dayNumberOf(told.asOf), tables: tablesFor(makeable, sources), features, geos };
      const { table, made, left } = withDerived(opened.table, makeable, using);
      for (const [name, why] of [...waiting, ...left.map((one) => [one.name, one.problem] as const)])
        problem ||= `${name} cannot be made of ${opened.file}: ${why}`;
      if (made.length === 0) continue;
      isMaking = true;
      sources.set(one.name, { ...opened, table });
      one.wanted = one.wanted.filter(({ name }) => !made.some((column) => column.name === name));
    }
  }
  if (problem !== '') throw new UsageError(problem);
  for (const { name, derived } of told.sources) {
    const opened = sources.get(name)!;
    const order = new Map(derived.map((one, i) => [one.name, i]));
    const columns = opened.table.columns.toSorted((x, y) => (order.get(x.name) ?? -1) - (order.get(y.name) ?? -1));
    sources.set(name, { ...opened, table: { ...opened.table, columns } });
  }
}

/** The features that figures by zones are of, and the columns that wait because a condition asks what is not made yet, with why. */
function zonedFeatures(told: ExtractNote, sources: ReadonlyMap<string, Opened>, wanted: NoteSource['derived'], geos: Geos) {
  const workspace = new NotedWorkspace(told, sources, geos);
  const features = new Map<string, ZonedFeatures>();
  const waiting = new Map<string, string>();
  for (const { name, derivation } of wanted) {
    if (derivation.kind !== 'zoned' || features.has(zonedKey(derivation))) continue;
    try {
      features.set(zonedKey(derivation), workspace.zonedFeatures(derivation));
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      waiting.set(name, error.line);
    }
  }
  return { features, waiting };
}

const tablesFor = (derived: NoteSource['derived'], others: ReadonlyMap<string, { table: FeatureTable }>) =>
  new Map(
    derived.flatMap(({ derivation: of }) => {
      const other = of.kind === 'joined' || of.kind === 'placed' ? others.get(of.table) : undefined;
      return (of.kind === 'joined' || of.kind === 'placed') && other ? [[of.source, other.table] as const] : [];
    }),
  );

/** The file of a source, by the name given to it or by the file's own. */
function fileOf({ name, file, fetched }: NoteSource, files: readonly string[]): string {
  const named = files.find((path) => path.startsWith(`${name}=`));
  if (named !== undefined) return named.slice(name.length + 1);
  const found = files.find((path) => basename(path) === file);
  if (found !== undefined) return found;
  if (fetched)
    throw new UsageError(
      `The note needs ${fetched.collection}, which came from ${fetched.address}; add ${JSON.stringify(`${name}=${fetched.address}`)} to ask there again, or ${JSON.stringify(`${name}=PATH`)} for a file that has it`,
    );
  throw new UsageError(
    `The note needs ${file} for the source ${name}; add its path, or ${JSON.stringify(`${name}=PATH`)} for a file of another name`,
  );
}

/** Features of a service or a database as they are there now, asked for as they were then. */
async function askAgain({ name, layer, fetched }: NoteSource, address: string, asOf: number, geos: Geos): Promise<FeatureTable> {
  const filter = fetched?.filter ? parseFilter(fetched.filter).expr : null;
  const { table } = (await readElsewhere(address, fetched?.collection ?? layer ?? undefined, filter))!;
  const taken = ({ columns, ...rest }: FeatureTable) => ({
    ...rest,
    columns: columns.filter((column) => !fetched?.leftOut.includes(column.name)),
  });
  if (filter === null) return taken(table);
  try {
    checkFilter(filter, table.columns);
  } catch (error) {
    if (error instanceof FilterError) throw new UsageError(`${name} was asked for by what no longer fits it: ${error.line}`);
    throw error;
  }
  return taken(takeRows(table, rowsOf(new Sifter(table, asOf, CRS84, geos).verdict(filter).yes)));
}

/** A source as it came, without what is derived. */
async function openSource(source: NoteSource, file: string, geos: Geos): Promise<FeatureTable> {
  const { crs, longitude, latitude, wkt, bare } = source.reading;
  const options = {
    layer: source.layer ?? undefined,
    ...{ lon: longitude ?? undefined, lat: latitude ?? undefined, wkt: wkt ?? undefined, bare },
  };
  let { table } = await readFile(file, options, crs === null ? null : crsNamed(crs));
  if (source.shapes === 'repaired') {
    const rows = new Set(Array.from(invalidRows(table, geos), ({ row }) => row));
    table = { ...table, geometry: repairedGeometry(table, rows, geos) };
  }
  return table;
}

/** The sources, areas and sieves that a note tells of, ready for its conditions. */
class NotedWorkspace {
  #note: ExtractNote;
  #sifters: Map<string, Sifter>;
  #areas: AreaShapes;
  #geos: Geos;

  constructor(note: ExtractNote, sources: ReadonlyMap<string, { table: FeatureTable }>, geos: Geos) {
    this.#note = note;
    this.#geos = geos;
    this.#areas = new Map(note.areas.map(({ name, shape }) => [name, shape]));
    this.#sifters = new Map([...sources].map(([name, { table }]) => [name, new Sifter(table, dayNumberOf(note.asOf), CRS84, geos)]));
  }

  /** A sifter with all that the tree names. */
  #prepared(source: string, tree: NoteLayer['tree']): Sifter {
    const sifter = this.#sifters.get(source);
    if (!sifter) throw new UsageError(`The note does not tell of its source ${source}`);
    const expr = exprOfTree(tree);
    if (expr === null) return sifter;
    const lost = areasIn(expr).find((name) => !this.#areas.has(name));
    if (lost !== undefined) throw new UsageError(`The note does not tell what the area ${lost} is`);
    const operands = new Map(operandsIn(expr).map((ref) => [`${ref.op} ${ref.args[0]}`, this.#named(ref.op, ref.args[0])]));
    const names = { sources: [...this.#sifters.keys()], sieves: this.#note.sieves.map(({ name }) => name) };
    checkFilter(expr, sifter.table.columns, { areas: this.#areas, operands: names });
    sifter.areas = this.#areas;
    sifter.operands = operands;
    return sifter;
  }

  /** The features that a figure by zones is of. */
  zonedFeatures({ source, sieve, called }: ZonedDerivation): ZonedFeatures {
    const of = this.#note.sources.find(({ id }) => id === source);
    const kept = this.#note.sieves.find(({ id }) => id === sieve);
    if (!of || (sieve !== null && !kept)) throw new UsageError(`The note does not tell what ${called} is`);
    const sifter = this.#prepared(of.name, kept?.tree ?? emptyTree());
    const expr = kept ? exprOfTree(kept.tree) : null;
    return { table: sifter.table, kept: expr === null ? null : sifter.verdict(expr).yes };
  }

  #named(op: 'SOURCE' | 'SIEVE', name: string): Operand {
    if (op === 'SOURCE') return { key: `SOURCE ${name}`, table: this.#sifters.get(name)!.table, rows: null };
    const sieve = this.#note.sieves.find((one) => one.name === name);
    if (!sieve) throw new UsageError(`The note does not tell what the sieve ${name} is`);
    const sifter = this.#prepared(sieve.source, sieve.tree);
    const expr = exprOfTree(sieve.tree);
    return { key: `SIEVE ${name}`, table: sifter.table, rows: expr === null ? fullMask(sifter.table.rows) : sifter.verdict(expr).yes };
  }

  layer(layer: NoteLayer, made: Date, { coordinates, guarded, codeLists }: ExtractNote): WrittenLayer {
    const sifter = this.#prepared(layer.source, layer.tree);
    const kept = keptBySifter(sifter, layer, this.#geos, () => undefined);
    const meanings: Meanings = new Map(
      layer.columns.flatMap(({ from, codeList }) => {
        const list = codeLists.find(({ name }) => name === codeList);
        return from !== null && list ? [[from, new Map(list.entries)] as const] : [];
      }),
    );
    const recipe = { columns: layer.choices, shape: layer.shape, crs: layer.ownCrs ? null : crsNamed(layer.crs.name), order: layer.order };
    const { table, rows } = makeTable(kept.table, kept.rows, recipe, meanings, this.#geos);
    const about = new Map(layer.columns.map(({ name, title, description }) => [name, { title, description }]));
    return {
      name: layer.name,
      description: null,
      table,
      rows,
      shapes: layer.shape.kind !== 'none',
      about,
      colour: '#2c5b4b',
      wkt: wktOf(table.crs),
      coordinates,
      guarded,
      made,
    };
  }
}
