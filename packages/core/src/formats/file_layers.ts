import { CRS84, type Crs, type CrsClue } from '../crs/crs.ts';
import type { FeatureTable } from '../features/table.ts';
import { looksLikeRows } from './csv/decoding.ts';
import type { Format, LayerInfo, ReadOptions, ReadResult } from './format.ts';
import type { Input, SqliteFile } from './input.ts';
import { Cancelled, ReadError } from './read_error.ts';
import { formatOfEnding, isArchive, recognise } from './format_registry.ts';
import { SHAPEFILE_PARTS } from './shapefile/parts.ts';
import { filesInArchive } from './zip/archive.ts';

/** A layer that can be read, and the file that it is in: the file given, or one in the archive given. */
export interface FoundLayer extends LayerInfo {
  /** The layer's name inside its file. */
  inner: string;
  format: Format;
  input: Input;
}

/** What the host does for reading: databases, and coordinate systems by code or definition. */
export interface Host {
  openDatabase(bytes: Uint8Array): Promise<SqliteFile>;
  /** Null when the clue names a system that cannot be used; throws nothing. */
  crsOf(clue: CrsClue): Promise<Crs | null>;
}

/** Every layer in a file. Layers of the same name in an archive are told apart by the file they are in. */
export async function layersIn(input: Input, host: Host): Promise<FoundLayer[]> {
  if (!(await isArchive(input))) return layersOfFile(input);
  const files = await filesInArchive(input, (bytes) => host.openDatabase(bytes));
  const found: FoundLayer[] = [];
  let problem: ReadError | null = null;
  for (const file of files) {
    const lower = file.name.toLowerCase();
    if (SHAPEFILE_PARTS.some((extension) => lower.endsWith(extension))) continue;
    try {
      if (!(await isCompanion(file))) found.push(...(await layersOfFile(file)));
    } catch (error) {
      if (!(error instanceof ReadError)) throw error;
      // Pictures and read-me files travel with data; only when nothing else is there do they matter. What is data by its name
      // is not passed over.
      if (!lower.endsWith('.txt') && formatOfEnding(lower))
        throw new ReadError(`${input.name}: ${error.message}`, 'Take the file out of the archive to read the others');
      problem = error;
    }
  }
  if (found.length === 0) throw problem ?? new ReadError(`${input.name} holds no file that can be read`);
  const names = found.map(({ name }) => name);
  return found.map((layer, i) =>
    names.indexOf(layer.name) === i ? layer : { ...layer, name: `${layer.input.name.replace(/\.[^.]*$/, '')} ${layer.name}` },
  );
}

/** A text that goes with the data, such as a licence or a version: it has no rows of cells. */
async function isCompanion(input: Input): Promise<boolean> {
  if (/\.(csv|tsv)$/i.test(input.name)) return false;
  const format = await recognise(input);
  return format.anyText === true && !(await looksLikeRows(input));
}

async function layersOfFile(input: Input): Promise<FoundLayer[]> {
  const format = await recognise(input);
  return (await damageSaid(input, format, () => format.layers(input))).map((layer) => ({
    ...layer,
    inner: layer.name,
    format,
    input,
  }));
}

/** The layer of this name; without a name the only one. Throws a ReadError that lists what is there. */
export function chosenLayer(layers: FoundLayer[], name: string | undefined, file: string): FoundLayer {
  const spatial = layers.filter((layer) => !layer.attributesOnly);
  const choices = spatial.length > 0 ? spatial : layers;
  const listed = choices.map((layer) => layer.name).join(', ');
  if (name === undefined) {
    if (choices.length === 1) return choices[0];
    throw new ReadError(`${file} has ${choices.length} layers: ${listed}`, 'Name the one to read');
  }
  const found = layers.find((layer) => layer.name === name);
  if (found) return found;
  throw new ReadError(
    layers.length === 1
      ? `${file} has one layer, ${layers[0].name}; there is no layer ${name} in it`
      : `${file} has no layer ${name}; its layers are ${listed}`,
  );
}

/** A layer as it was read, with the system that was settled for it. */
export interface LayerRead extends Omit<ReadResult, 'crs'> {
  table: FeatureTable;
}

/** Reads a layer as it is; the coordinate system is only what the file says. */
export function readAsFound(layer: FoundLayer, options: ReadOptions): Promise<ReadResult> {
  const { format, input, inner } = layer;
  return damageSaid(input, format, () => format.read(input, { ...options, layer: inner }));
}

/**
 * Reads a layer with its coordinate system settled.
 * @param given the person's word on the coordinate system, over what the file says
 */
export async function readLayer(layer: FoundLayer, options: ReadOptions, host: Host, given: Crs | null = null): Promise<LayerRead> {
  const { crs: clue, ...result } = await readAsFound(layer, options);
  const { crs, note } = given ? { crs: given, note: given.accuracy } : await settleCrs(clue, result.implausible, layer.input.name, host);
  return {
    ...result,
    notes: note === null ? result.notes : [...result.notes, note],
    table: { ...result.table, crs },
  };
}

/** What a parser trips over in a damaged file, said as what it is. */
async function damageSaid<T>(input: Input, format: Format, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof ReadError || error instanceof Cancelled) throw error;
    const { message } = error as Error;
    // What a parser meets where it counts on something else to stand tells a person nothing.
    const tooLarge = /allocation failed|Invalid string length/i.test(message);
    const stumbled = error instanceof TypeError || (error instanceof RangeError && !tooLarge) || /undefined|NaN/.test(message);
    throw new ReadError(
      `${input.name} cannot be read as ${format.label}: ${stumbled ? 'what it holds does not follow the format' : message}`,
      'It may be damaged or not have been copied whole',
    );
  }
}

async function settleCrs(
  clue: CrsClue,
  implausible: string | undefined,
  file: string,
  host: Host,
): Promise<{ crs: Crs; note: string | null }> {
  if (clue.kind === 'crs84') {
    if (implausible !== undefined) throw new ReadError(implausible);
    return { crs: CRS84, note: null };
  }
  if (clue.kind === 'unknown') {
    if (implausible !== undefined) throw new ReadError(`${file} does not say which coordinate system it is in. ${implausible}`);
    return {
      crs: CRS84,
      note: 'The file does not say which coordinate system it is in; its coordinates were taken as longitude and latitude (WGS 84).',
    };
  }
  const crs = await host.crsOf(clue);
  if (crs) return { crs, note: crs.accuracy };
  const said = clue.kind === 'epsg' ? `EPSG:${clue.code}` : clue.wkt.slice(0, 60);
  throw new ReadError(
    `${file} is in a coordinate system that cannot be used here: ${said}`,
    'Name one that comes near, or convert the file',
  );
}
