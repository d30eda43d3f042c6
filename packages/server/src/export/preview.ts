import {
  cellTable,
  FilterError,
  geometryAt,
  makeTable,
  printGeometry,
  ReadError,
  refuseTooWide,
  rowsOf,
  shapeCells,
  valueAt,
  withMatchColumns,
  writtenFormatNamed,
  type FeatureTable,
  type Geos,
  type ShapeChoice,
  type Sifter,
  type Value,
  type WrittenFormat,
  type WrittenLayer,
} from '@clean-sieve/core';
import { zipped } from '../files/zipped.ts';
import type { ExtractLayer, ExtractRequest, PreviewAnswer, RowsOfLayer } from '../api/contract.ts';
import { wktOf } from '../crs/epsg.ts';
import type { SourceRow } from '../store/entities.ts';
import { meaningsOf } from '../workspace_state.ts';
import { keptMask } from './kept.ts';
import { limitedTo, recipeOf } from './make_layers.ts';

/** First rows that are shown, and rows from all over the kept ones by which the size is estimated. */
const SHOWN = 12;
const SAMPLED = 240;

type LayerPreview = PreviewAnswer['layers'][number] & { bytes: number };

/** As many cells as fit on a clipboard without trouble. */
const MOST_CELLS = 2_000_000;

/** All rows of a layer with its columns, shapes as coordinates or well-known text, for the clipboard. */
export function layerRows(
  sifter: Sifter,
  asked: ExtractLayer,
  request: Omit<ExtractRequest, 'layers'>,
  source: SourceRow,
  codeLists: readonly { id: number; entries: [string, string][] }[],
  geos: Geos,
): RowsOfLayer {
  const { tree } = limitedTo(asked, request.within);
  const mask = keptMask(sifter, tree, asked.picks);
  const full = withMatchColumns(sifter, tree, mask);
  const recipe = recipeOf(
    asked,
    writtenFormatNamed('csv'),
    full.columns.map(({ name }) => name),
    source,
  );
  const kept = rowsOf(mask);
  if (kept.length * (recipe.columns.length + 2) > MOST_CELLS)
    throw new FilterError(`${kept.length.toLocaleString('en-GB')} rows are too many for the clipboard`, null, 'Write a file instead');
  try {
    const { table, rows } = makeTable(full, kept, recipe, meaningsOf(source, codeLists), geos);
    const shapes = recipe.shape.kind !== 'none';
    const layer = {
      name: asked.name,
      description: null,
      table,
      rows,
      shapes,
      about: new Map(),
      colour: asked.colour,
      wkt: null,
      coordinates: request.coordinates,
      guarded: request.guarded,
      made: new Date(),
    };
    const { columns, read } = cellTable(layer);
    return { columns, rows: Array.from(rows, read) };
  } catch (error) {
    if (error instanceof ReadError) throw new FilterError(error.line, null);
    throw error;
  }
}

/** What one layer of an extract would be: its counts, columns and first rows, and about how large it is. */
export async function previewLayer(
  sifter: Sifter,
  asked: ExtractLayer,
  request: Omit<ExtractRequest, 'layers'>,
  source: SourceRow,
  codeLists: readonly { id: number; entries: [string, string][] }[],
  geos: Geos,
): Promise<LayerPreview> {
  const { tree } = limitedTo(asked, request.within);
  const of = sifter.table.rows;
  const mask = keptMask(sifter, tree, asked.picks);
  const kept = rowsOf(mask);
  const base = { name: asked.name, kept: kept.length, of, columns: [], rows: [], shapes: [], losses: [], error: null, bytes: 0 };
  try {
    const format = writtenFormatNamed(request.format);
    const table = withMatchColumns(sifter, tree, mask);
    const recipe = recipeOf(
      asked,
      format,
      table.columns.map(({ name }) => name),
      source,
    );
    const meanings = meaningsOf(source, codeLists);
    // The order is made over all of them, the shapes only of those that are shown.
    const ordered = makeTable(table, kept, { ...recipe, columns: [], shape: { kind: 'none' } }, meanings, geos).rows;
    const first = makeTable(table, ordered.slice(0, SHOWN), { ...recipe, order: null }, meanings, geos);
    const step = Math.max(1, Math.floor(kept.length / SAMPLED));
    const sampled = makeTable(table, kept.filter((_, i) => i % step === 0).slice(0, SAMPLED), { ...recipe, order: null }, meanings, geos);
    const layer = (made: typeof first): WrittenLayer => ({
      name: asked.name,
      description: null,
      table: made.table,
      rows: made.rows,
      shapes: recipe.shape.kind !== 'none',
      about: new Map(),
      colour: asked.colour,
      wkt: wktOf(made.table.crs),
      coordinates: request.coordinates,
      guarded: request.guarded,
      made: new Date(),
    });
    refuseTooWide(layer(first), format.label, format.writing);
    // Of all kept features, with their shapes as they come: a centroid is made of each only when the file is.
    const whole = () =>
      makeTable(
        table,
        kept,
        { ...recipe, shape: recipe.shape.kind === 'none' ? recipe.shape : { kind: 'as-is' }, crs: null, order: null },
        meanings,
        geos,
      );
    const { losses } = format.writing;
    const all = losses ? layer(whole()) : null;
    const sample = await sizeOf(layer(sampled), format, request.zip);
    const bytes = sampled.rows.length === 0 ? sample : (sample / sampled.rows.length) * kept.length;
    return {
      ...base,
      ...(format.writing.cells ? shownCells(layer(first), all!, format, recipe.shape) : shownFeatures(first, recipe.shape)),
      losses: losses && all ? losses(oneKind(recipe.shape) ? { ...all, shapes: false } : all) : [],
      bytes: format.writing.kind === 'database' ? GEOPACKAGE_TABLES + GEOPACKAGE_SHARE * bytes : bytes,
    };
  } catch (error) {
    if (!(error instanceof ReadError)) throw error;
    return { ...base, error: `${error.line}.` };
  }
}

/**
 * Centroids and widened shapes are of one kind and have no heights, whatever they are made of; they are only made when the
 * file is.
 */
const oneKind = ({ kind }: ShapeChoice) => kind === 'centroid' || kind === 'inside' || kind === 'buffer';

/** First rows of a table of cells, as they will stand in it: how shapes do depends on all of them. */
function shownCells(
  first: WrittenLayer,
  all: WrittenLayer,
  { writing }: WrittenFormat,
  shape: ShapeChoice,
): Pick<LayerPreview, 'columns' | 'rows' | 'shapes'> {
  const coordinates = oneKind(shape) ? first.coordinates : shapeCells(all).text ? 'wkt' : 'columns';
  const { columns, read } = cellTable({ ...first, coordinates, guarded: writing.cells?.guard === true && first.guarded });
  const short = (cell: Value) => (typeof cell === 'string' && cell.length > LONGEST_SHOWN ? `${cell.slice(0, LONGEST_SHOWN - 2)} …` : cell);
  return { columns, rows: Array.from(first.rows, (row) => read(row).map(short)), shapes: [] };
}

function shownFeatures(
  { table, rows }: { table: FeatureTable; rows: Uint32Array },
  { kind }: ShapeChoice,
): Pick<LayerPreview, 'columns' | 'rows' | 'shapes'> {
  return {
    columns: table.columns.map(({ name }) => name),
    rows: Array.from(rows, (row) => table.columns.map((column) => valueAt(column, row))),
    shapes: kind === 'none' ? [] : Array.from(rows, (row) => shortShape(table, row)),
  };
}

/** Characters of a text that are enough to look at. */
const LONGEST_SHOWN = 60;

function shortShape(table: Parameters<typeof geometryAt>[0], row: number): string {
  const geometry = geometryAt(table, row);
  if (!geometry) return '';
  const text = printGeometry(geometry);
  return text.length > LONGEST_SHOWN ? `${text.slice(0, LONGEST_SHOWN - 2)} …` : text;
}

/** A GeoPackage has tables that describe it, each shape's box in an index of its own, and pages that are not full. */
const [GEOPACKAGE_TABLES, GEOPACKAGE_SHARE] = [90_000, 0.8];

async function sizeOf(layer: WrittenLayer, { writing }: WrittenFormat, zip: boolean): Promise<number> {
  let bytes = 0;
  const base = writing.kind === 'database' ? writtenFormatNamed('flatgeobuf').writing : writing;
  if (base.kind === 'database') return 0;
  const parts = base.kind === 'file' ? [{ name: layer.name, pieces: base.pieces(layer) }] : base.parts(layer);
  const pieces = base.kind === 'files' || zip ? zipped(parts, layer.made) : parts[0].pieces;
  for await (const piece of pieces) bytes += typeof piece === 'string' ? Buffer.byteLength(piece) : piece.length;
  return bytes;
}
