import { execFileSync } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, rmSync, statSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chosenLayer, layersIn, readLayer } from '@clean-sieve/core';
import { fileInput, host } from '../../packages/server/src/files/file_input.ts';
import { Workspace } from '../../packages/server/src/store/entities.ts';
import { entities, openStore } from '../../packages/server/src/store/store.ts';
import { saveTable } from '../../packages/server/src/store/table_store.ts';
import type { Outcome } from './compared.ts';

export const POLYGONS = 250_000;
const CORNERS = 18;

/** 250,000 polygons with six attributes, about 100 MB of GeoJSON; the same each time. */
export function writePolygons(path: string): void {
  let state = 7;
  const next = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  const file = openSync(path, 'w');
  writeSync(file, '{"type":"FeatureCollection","features":[\n');
  let piece = '';
  for (let i = 0; i < POLYGONS; i++) {
    const [lon, lat] = [-10 + (i % 500) * 0.01, 40 + Math.floor(i / 500) * 0.01];
    const corners = Array.from({ length: CORNERS }, (_, c) => {
      const [angle, size] = [(c / CORNERS) * 2 * Math.PI, 0.003 + 0.0015 * next()];
      return `[${(lon + size * Math.cos(angle)).toFixed(7)},${(lat + size * Math.sin(angle)).toFixed(7)}]`;
    });
    const properties = `{"id":"S-${i}","code":"0${Math.floor(next() * 900) + 100}","age":${Math.floor(next() * 200)},"hectares":${(next() * 40).toFixed(2)},"planted":"${1900 + Math.floor(next() * 120)}-0${1 + Math.floor(next() * 9)}-15","mixed":${next() < 0.5}}`;
    piece += `${i > 0 ? ',\n' : ''}{"type":"Feature","properties":${properties},"geometry":{"type":"Polygon","coordinates":[[${corners.join(',')},${corners[0]}]]}}`;
    if (piece.length < 1 << 20) continue;
    writeSync(file, piece);
    piece = '';
  }
  writeSync(file, `${piece}\n]}\n`);
  closeSync(file);
}

/** Import of 250,000 polygons into the store against GDAL's translator into a GeoPackage, a format at a time. */
export async function importFormats(): Promise<(Outcome & { megabytes: number; peak: number })[]> {
  const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-bench-'));
  const at = (name: string) => join(folder, name);
  const ogr = (...args: string[]) => execFileSync('ogr2ogr', args, { stdio: 'ignore' });
  const outcomes: (Outcome & { megabytes: number; peak: number })[] = [];
  try {
    writePolygons(at('p.geojson'));
    for (const ending of ['geojson', 'gpkg', 'shp', 'fgb']) {
      const file = at(`p.${ending}`);
      if (ending !== 'geojson') ogr(file, at('p.geojson'), '-nln', 'p');
      const store = await openStore(at(`${ending}.sqlite`), { migrate: true });
      const em = entities(store);
      em.create(Workspace, { name: 'bench', asOf: null });
      await em.flush();
      globalThis.gc?.();
      let peak = 0;
      const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 50);
      const start = performance.now();
      const layer = chosenLayer(await layersIn(await fileInput(file), host), undefined, file);
      const { table, notes } = await readLayer(layer, {}, host);
      await saveTable(entities(store), table, {
        ...{ name: 'p', fileName: 'p', format: ending, layer: null, encoding: null, role: 'layer', notes },
        ...{ remarks: [], invalidShapes: 0 },
      });
      const ours = performance.now() - start;
      clearInterval(watch);
      if (table.rows !== POLYGONS) throw new Error(`${ending}: ${table.rows} features instead of ${POLYGONS}`);
      await store.close();
      const theirs = performance.now();
      ogr('-f', 'GPKG', at(`out-${ending}.gpkg`), file);
      const reference = performance.now() - theirs;
      const megabytes = statSync(file).size / 1e6;
      outcomes.push({
        name: `import ${POLYGONS.toLocaleString('en-GB')} polygons, ${ending}`,
        ours,
        reference,
        ratio: ours / reference,
        target: 1,
        megabytes,
        peak: peak / 1e6,
      });
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  return outcomes;
}
