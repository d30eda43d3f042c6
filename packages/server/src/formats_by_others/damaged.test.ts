import fc from 'fast-check';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  chosenLayer,
  layersIn,
  readLayer,
  ReadError,
  TableBuilder,
  WRITTEN_FORMATS,
  writtenFormatNamed,
  type WrittenLayer,
} from '@clean-sieve/core';
import { wktOf } from '../crs/epsg.ts';
import { writeLayers } from '../export/write_layers.ts';
import { fileInput, host } from '../files/file_input.ts';

// Files that were cut off or damaged on their way are read as far as they are sound, or refused in words; never anything else.

const folder = mkdtempSync(join(tmpdir(), 'clean-sieve-damaged-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const ROWS = 40;
const whole = new Map<string, Buffer>();
beforeAll(async () => {
  const builder = new TableBuilder();
  for (let n = 0; n < ROWS; n++) {
    const x = n / 10;
    const shape = {
      type: 'Polygon' as const,
      coordinates: [
        [
          [x, 0],
          [x + 1, 0],
          [x + 1, 1],
          [x, 0],
        ],
      ],
    };
    builder.addFeature(n % 7 === 0 ? null : shape, {
      n,
      half: n / 2,
      name: n % 5 === 0 ? null : `é “${n}”`,
      seen: '2024-05-31',
      lit: n % 2 === 0,
    });
  }
  const table = builder.finish();
  const layer: WrittenLayer = {
    name: 'set',
    description: null,
    table,
    rows: Uint32Array.from({ length: ROWS }, (_, i) => i),
    shapes: true,
    about: new Map(),
    colour: '#2c5b4b',
    wkt: wktOf(table.crs),
    coordinates: 'wkt',
    guarded: false,
    made: new Date(0),
  };
  for (const { name, writing } of WRITTEN_FORMATS) {
    const path = join(folder, `whole${writing.extension}`);
    await writeLayers(path, writtenFormatNamed(name), [layer]);
    whole.set(name, readFileSync(path));
  }
});

/** Cut off somewhere, or with bytes changed; places are shares of the file's length. */
const damage = fc.record({
  cut: fc.option(fc.double({ min: 0, max: 0.999, noNaN: true }), { freq: 2 }),
  changes: fc.array(fc.tuple(fc.double({ min: 0, max: 0.999, noNaN: true }), fc.integer({ min: 0, max: 255 })), { maxLength: 4 }),
});

test.each(WRITTEN_FORMATS.map(({ name, writing }) => [name, writing.extension]))(
  '%s is read in part or refused in words, whatever happened to it',
  async (name, extension) => {
    const path = join(folder, `damaged${extension}`);
    let refused = 0;
    await fc.assert(
      fc.asyncProperty(damage, async ({ cut, changes }) => {
        const bytes = Buffer.from(whole.get(name)!);
        for (const [place, value] of changes) bytes[Math.floor(place * bytes.length)] = value;
        writeFileSync(path, cut === null ? bytes : bytes.subarray(0, Math.floor(cut * bytes.length)));
        try {
          const layers = await layersIn(await fileInput(path), host);
          const { table } = await readLayer(chosenLayer(layers, undefined, 'damaged'), {}, host);
          expect(table.rows).toBeGreaterThanOrEqual(0);
          for (const column of table.columns) expect(column.chunks.reduce((sum, { rows }) => sum + rows, 0)).toBe(table.rows);
        } catch (error) {
          expect(error).toBeInstanceOf(ReadError);
          expect((error as ReadError).line).not.toMatch(/undefined|NaN|\[object/);
          refused++;
        }
      }),
      { numRuns: 120 },
    );
    // Damage that is never noticed would be no check.
    expect(refused).toBeGreaterThan(0);
  },
  60_000,
);

test('a damaged byte in the head of a page, by which its reader would never come to an end, is refused', async () => {
  const bytes = Buffer.from(whole.get('geoparquet')!);
  // The number of its values goes on into what follows, and the fields behind it are lost.
  bytes[18] |= 0x80;
  const path = join(folder, 'endless.parquet');
  writeFileSync(path, bytes);
  const [layer] = await layersIn(await fileInput(path), host);
  await expect(readLayer(layer, {}, host)).rejects.toThrow('endless.parquet is damaged: a part of it says too little of itself');
});
