import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chosenLayer, layersIn, readLayer, writtenFormatNamed } from '@clean-sieve/core';
import { wktOf } from '../../packages/server/src/crs/epsg.ts';
import { writeLayers } from '../../packages/server/src/export/write_layers.ts';
import { fileInput, host } from '../../packages/server/src/files/file_input.ts';
import type { Outcome } from './compared.ts';
import { POLYGONS, writePolygons } from './import_formats.ts';

/** A format with its ending, which names it to GDAL too, and GDAL's options for the same content. */
const FORMATS: [name: string, ending: string, gdal: string[]][] = [
  ['geopackage', 'gpkg', []],
  ['geojson', 'geojson', ['-lco', 'COORDINATE_PRECISION=15']],
  ['csv', 'csv', ['-lco', 'GEOMETRY=AS_WKT']],
  ['shapefile', 'shp.zip', ['-lco', 'ENCODING=UTF-8']],
  ['flatgeobuf', 'fgb', []],
  // GDAL's other driver for KML takes several times as long.
  ['kml', 'kml', ['-f', 'KML']],
];

/** Megabytes beside the source at most, for a half of the polygons and for all. */
export type WriteOutcome = Outcome & { megabytes: number; peaks: [half: number, whole: number] };

/**
 * Writing 250,000 polygons from the opened source against GDAL's translator from its fastest format, a format at a time; and
 * how much memory writing a half and the whole of them takes beside the source.
 */
export async function writeFormats(): Promise<WriteOutcome[]> {
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-bench-'));
  const at = (name: string) => join(folder, name);
  const ogr = (...args: string[]) => execFileSync('ogr2ogr', args, { stdio: 'ignore' });
  const outcomes: WriteOutcome[] = [];
  try {
    writePolygons(at('p.geojson'));
    ogr(at('source.fgb'), at('p.geojson'), '-nln', 'p');
    const input = await fileInput(at('source.fgb'));
    const { table } = await readLayer(chosenLayer(await layersIn(input, host), undefined, ''), {}, host);
    const rows = Uint32Array.from({ length: table.rows }, (_, i) => i);
    const layer = {
      name: 'p',
      description: null,
      table,
      rows,
      shapes: true,
      about: new Map(),
      colour: '#2c5b4b',
      wkt: wktOf(table.crs),
      coordinates: null,
      guarded: false,
      made: new Date(),
    };
    /** Megabytes beside the source at most, as often as progress is told. */
    const written = async (name: string, path: string, count: number): Promise<number> => {
      globalThis.gc?.();
      const before = process.memoryUsage().rss;
      let peak = before;
      await writeLayers(
        path,
        writtenFormatNamed(name),
        [{ ...layer, rows: rows.subarray(0, count) }],
        () => (peak = Math.max(peak, process.memoryUsage().rss)),
      );
      return (peak - before) / 1e6;
    };
    for (const [name, ending, options] of FORMATS) {
      const half = await written(name, at(`half.${ending}`), POLYGONS / 2);
      const start = performance.now();
      const whole = await written(name, at(`ours.${ending}`), POLYGONS);
      const ours = performance.now() - start;
      const theirs = performance.now();
      ogr(...options, at(`theirs.${ending}`), at('source.fgb'));
      const reference = performance.now() - theirs;
      outcomes.push({
        name: `write ${POLYGONS.toLocaleString('en-GB')} polygons, ${name}`,
        ...{ ours, reference, ratio: ours / reference, target: 1 },
        megabytes: statSync(at(`ours.${ending}`)).size / 1e6,
        peaks: [half, whole],
      });
    }
    return outcomes;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
