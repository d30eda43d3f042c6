import { join } from 'node:path';
import {
  CRS84,
  CHUNK_ROWS,
  layersIn,
  lonLatChunks,
  lonLatExtentOf,
  geometryTypeCounts,
  readAsFound,
  ReadError,
  periodCovered,
  valueAt,
  type Crs,
  type FeatureTable,
  type FoundLayer,
  type ReadOptions,
} from '@clean-sieve/core';
import type { LayerLook, ReadingChoice } from '../api/contract.ts';
import { crsNamed, crsOfClue, likelyCrs } from '../crs/epsg.ts';
import { fileInput, host } from '../files/file_input.ts';

/** Features that a look reads, rows and shapes of them that it shows, and corners of those in all: they travel in one answer. */
const [LOOKED, ROWS, SHAPES, CORNERS] = [5000, 40, 2000, 100_000];

/** A look at files before they are taken in: what is recognised, from their first features. What cannot be read says why. */
export async function look(
  folder: string,
  files: string[],
  reading: ReadingChoice,
  report: (share: number, progress: string) => void,
): Promise<LayerLook[]> {
  const looks: LayerLook[] = [];
  for (const [i, file] of files.entries()) {
    report(i / files.length, `Looking at ${file}`);
    try {
      const layers = await layersIn(await fileInput(join(folder, file)), host);
      for (const layer of layers) {
        report(i / files.length, `Looking at ${layer.name}`);
        looks.push(await lookAt(file, layer, reading));
      }
    } catch (error) {
      if (!(error instanceof ReadError)) throw error;
      looks.push({ ...nothing(file, file.replace(/\.[^.]*$/, '')), error: `${error.line}.` });
    }
  }
  return looks;
}

export function readOptions({ longitude, latitude, wkt, bare }: ReadingChoice): ReadOptions {
  return { longitude: longitude ?? undefined, latitude: latitude ?? undefined, wkt: wkt ?? undefined, bare };
}

export function givenCrs({ crs }: ReadingChoice): Crs | null {
  return crs === null || crs === undefined ? null : crsNamed(crs);
}

function nothing(file: string, layer: string): LayerLook {
  return {
    ...{ file, layer, format: '', features: null, attributesOnly: false, looked: 0, complete: true, geometryTypes: {} },
    ...{ crs: null, crsProblem: null, likely: [], encoding: null, extent: null, notes: [], period: null },
    ...{ columns: [], rows: [], shapes: [], error: null, askColumns: null },
  };
}

/** The same of one layer. */
export async function lookAt(file: string, layer: FoundLayer, reading: ReadingChoice): Promise<LayerLook> {
  const base = {
    ...nothing(file, layer.name),
    format: layer.format.label,
    features: layer.features,
    attributesOnly: layer.attributesOnly || reading.bare === true,
  };
  try {
    const given = givenCrs(reading);
    const options = { ...readOptions(reading), most: LOOKED };
    const { table, crs: clue, notes, encoding, implausible } = await readAsFound(layer, options);
    const said = given ?? crsOfClue(clue);
    const fits = given !== null || implausible === undefined || clue.kind === 'epsg' || clue.kind === 'wkt';
    const crs = said && fits ? said : implausible === undefined && clue.kind === 'unknown' ? CRS84 : null;
    const placed: FeatureTable = { ...table, crs: crs ?? CRS84 };
    const extent = crs ? lonLatExtentOf(placed) : null;
    const complete = table.rows < LOOKED;
    const unsaid = clue.kind === 'unknown' && given === null;
    return {
      ...base,
      features: layer.features ?? (complete ? table.rows : null),
      looked: table.rows,
      complete,
      geometryTypes: geometryTypeCounts(table),
      crs,
      crsProblem:
        crs === null
          ? problemOf(clue.kind, implausible)
          : unsaid && !base.attributesOnly
            ? 'The file does not say which coordinate system it is in. Longitude and latitude would fit.'
            : null,
      likely: crs === null ? likelyCrs(plainExtent(table), 30) : [],
      encoding: encoding ?? null,
      extent: extent && extent[0] <= extent[2] ? extent : null,
      notes: crs?.accuracy ? [...notes, crs.accuracy] : notes,
      period: periodCovered(table.columns),
      columns: table.columns.map(({ name, type }) => ({ name, type })),
      rows: Array.from({ length: Math.min(ROWS, table.rows) }, (_, row) => table.columns.map((column) => valueAt(column, row))),
      shapes: crs ? shapesOf(placed) : [],
    };
  } catch (error) {
    if (!(error instanceof ReadError)) throw error;
    const columns = /its columns are (.*?)(?: …)?$/.exec(error.message)?.[1].split(', ') ?? null;
    return { ...base, error: `${error.line}.`, askColumns: columns };
  }
}

function problemOf(kind: string, implausible: string | undefined): string {
  if (kind === 'unknown' || kind === 'crs84')
    return `The coordinates are not longitude and latitude, and the file does not say what they are. ${implausible ?? ''}`.trim();
  return 'The file is in a coordinate system that cannot be used here. Choose one that comes near.';
}

function plainExtent(table: FeatureTable): [number, number, number, number] {
  return lonLatExtentOf({ ...table, crs: CRS84 });
}

function shapesOf(table: FeatureTable): unknown[] {
  const chunks = lonLatChunks(table);
  const shapes: unknown[] = [];
  let corners = 0;
  for (let row = 0; row < Math.min(SHAPES, table.rows); row++) {
    const chunk = chunks[Math.floor(row / CHUNK_ROWS)];
    const [from, to] = chunk.vertexRange(row % CHUNK_ROWS);
    // One that is too large to be shown is left out of the picture only.
    if (corners + to - from > CORNERS) continue;
    corners += to - from;
    const geometry = chunk.geometryAt(row % CHUNK_ROWS);
    if (geometry) shapes.push(geometry);
  }
  return shapes;
}
