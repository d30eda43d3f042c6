import { call, cellsIn, GEOMETRY_NAME, property, ReadError, rowsOf, Sifter, TableBuilder, takeRows, type Grid } from '@clean-sieve/core';
import { HTTPException } from 'hono/http-exception';
import type { MadeSourceOf } from '../api/contract.ts';
import { crsNamed } from '../crs/epsg.ts';
import type { MadeSource } from './made_source.ts';

/** More cells are no grid to look at. */
const MOST_CELLS = 500_000;

type Asked = MadeSourceOf<'grid'>;

const GRIDS = {
  square: 'Squares',
  hexagon: 'Hexagons',
  graticule: 'Cells',
  mgrs: 'UTM / MGRS squares',
  british: 'Squares of the British National Grid',
  irish: 'Squares of the Irish Grid',
};

/** @throws ReadError where the system is not known */
function gridOf({ kind, size, crs }: Asked['grid']): Grid {
  if (kind !== 'square' && kind !== 'hexagon') return { kind, size };
  return { kind, size, crs: crsNamed(crs ?? '') };
}

/** Every cell of a grid that a box meets, with its reference; in longitude and latitude. */
export const gridCells: MadeSource<Asked> = {
  check({ grid }) {
    try {
      gridOf(grid);
    } catch (error) {
      if (error instanceof ReadError) throw new HTTPException(400, { message: error.line });
      throw error;
    }
    return Promise.resolve();
  },
  make({ name, grid, box }, { asOf, report }) {
    report(0, 'Laying out the cells');
    const cells = cellsIn(gridOf(grid), box, MOST_CELLS);
    if (!cells) throw new ReadError(`There are more than ${MOST_CELLS.toLocaleString('en-GB')} cells here`, 'Take larger cells');
    if (cells.length === 0) throw new ReadError('This grid has no cells here');
    const builder = new TableBuilder();
    builder.column('cell');
    for (const [i, { name: cell, shape }] of cells.entries()) {
      if (i % 5000 === 0) report(i / cells.length, `${i.toLocaleString('en-GB')} cells`);
      builder.addFeature(shape, { cell });
    }
    const unit = grid.kind === 'graticule' ? '°' : ' m';
    const degrees = box.map((value) => `${Number(value.toFixed(6))}°`).join(', ');
    const notes = [
      `${GRIDS[grid.kind]} of ${grid.size}${unit}${grid.crs === null ? '' : ` in ${grid.crs}`}, all that meet the box from west, south to east, north ${degrees}.`,
    ];
    // The grid lays out some around the box too.
    const all = builder.finish();
    const meets = call('s_intersects', property(GEOMETRY_NAME), { bbox: box });
    const table = takeRows(all, rowsOf(new Sifter(all, asOf).verdict(meets).yes));
    return Promise.resolve({
      table,
      description: {
        ...{ name, notes, fileName: 'made here, of no file', format: 'grid', layer: null, encoding: null },
        ...{ remarks: [], invalidShapes: 0 },
      },
    });
  },
};
