import { call, count, lonLatBoxOf, property, ReadError, Sifter, type Box } from '@clean-sieve/core';
import { gridCells } from './grid_cells.ts';
import type { Making } from './made_source.ts';

const box: Box = [0.1, 50.1, 1.9, 50.9];
const told: number[] = [];
const making = { report: (share: number) => void told.push(share) } as unknown as Making;
const made = (grid: Parameters<typeof gridCells.make>[0]['grid'], of: Box = box) =>
  gridCells.make({ kind: 'grid', name: 'g', grid, box: of }, making);

test('every cell that meets the box, by its reference, with how they were made', async () => {
  const { table, description } = await made({ kind: 'graticule', size: 0.5, crs: null });
  // From 0° to 2° east in halves, from 50° to 51° north in halves.
  expect(table.rows).toBe(8);
  expect(table.columns.map(({ name, type }) => [name, type])).toEqual([['cell', 'text']]);
  expect(table.columns[0].dictionary!.size).toBe(8);
  expect(description.notes).toEqual(['Cells of 0.5°, all that meet the box from west, south to east, north 0.1°, 50.1°, 1.9°, 50.9°.']);
  expect(told[0]).toBe(0);
});

test('hexagons around the box that do not meet it are left out, those that only reach into it are not', async () => {
  const { table } = await made({ kind: 'hexagon', size: 20_000, crs: 'EPSG:32631' });
  for (let row = 0; row < table.rows; row++) {
    const [west, south, east, north] = lonLatBoxOf(table, row);
    expect([west <= box[2], south <= box[3], east >= box[0], north >= box[1]]).toEqual([true, true, true, true]);
  }
  // Together they cover the box: none is missing on its edges or within.
  const sifter = new Sifter(table, 0);
  for (let x = box[0]; x <= box[2]; x += 0.09)
    for (let y = box[1]; y <= box[3]; y += 0.08) {
      const here = call('s_intersects', property('geometry'), { type: 'Point', coordinates: [x, y] });
      expect(count(sifter.verdict(here).yes)).toBeGreaterThan(0);
    }
});

test('squares in a system of metres', async () => {
  const { table, description } = await made({ kind: 'square', size: 20_000, crs: 'EPSG:32631' });
  // About 128 km by 90 km, and a row or column more where the box lies aslant in the system.
  expect(table.rows).toBeGreaterThan(30);
  expect(table.rows).toBeLessThan(60);
  expect(description.notes[0]).toContain('Squares of 20000 m in EPSG:32631');
});

test('too many, none at all, and a system that nobody knows are refused', () => {
  const small = { kind: 'graticule', size: 0.0001, crs: null } as const;
  expect(() => made(small)).toThrow(ReadError);
  expect(() => made({ kind: 'british', size: 100_000, crs: null }, [-60, -10, -59, -9])).toThrow('no cells here');
  const asked = { kind: 'grid' as const, name: 'g', box, grid: { kind: 'square' as const, size: 10, crs: 'EPSG:1' } };
  expect(() => gridCells.check(asked, undefined as never, 0)).toThrow(/EPSG:1/);
});
