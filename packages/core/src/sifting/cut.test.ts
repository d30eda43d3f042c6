import type { Geometry, Position } from 'geojson';
import fc from 'fast-check';
import GeoJSONReader from 'jsts/org/locationtech/jts/io/GeoJSONReader.js';
import OverlayOp from 'jsts/org/locationtech/jts/operation/overlay/OverlayOp.js';
import { CRS84, type Crs } from '../crs/crs.ts';
import { valueAt } from '../features/column.ts';
import { columnNamed, geometryAt } from '../features/table.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { formOfExpr } from '../filters/form.ts';
import { parseFilter } from '../filters/parser.ts';
import { printFilter } from '../filters/printer.ts';
import type { Expr } from '../filters/ast.ts';
import { Geos } from '../geos/geos.ts';
import { measureOfGeometry } from '../space/measure_geometry.ts';
import { planeMeasure } from '../space/plane.ts';
import { cutPlaceOf, cutRows } from './cut.ts';
import { Sifter } from './sifter.ts';

let geos: Geos;
beforeAll(async () => {
  geos = await Geos.open();
});
const UTM: Crs = { name: 'EPSG:32629', label: '', definition: '+proj=utm +zone=29 +datum=WGS84 +units=m +no_defs', accuracy: null };
const square = (x: number, y: number, w: number): Geometry => ({
  type: 'Polygon',
  coordinates: [
    [
      [x, y],
      [x + w, y],
      [x + w, y + w],
      [x, y + w],
      [x, y],
    ],
  ],
});
const line = (...coordinates: Position[]): Geometry => ({ type: 'LineString', coordinates });

function cut(shapes: Geometry[], place: Geometry, tolerance = 0, crs = CRS84) {
  const builder = new TableBuilder();
  shapes.forEach((shape, n) => builder.addFeature(shape, { n }));
  const table = { ...builder.finish(), crs };
  const sifter = new Sifter(table, 0, crs, geos);
  return cutRows(
    sifter,
    table,
    Uint32Array.from(shapes, (_, i) => i),
    place,
    tolerance,
    geos,
  );
}

test('polygons and lines are cut, points stay, what only touches is left out', () => {
  const { table, report } = cut(
    [
      square(0, 0, 2),
      square(2, 0, 1),
      square(0.2, 0.2, 0.5),
      line([-1, 0.5], [3, 0.5]),
      { type: 'Point', coordinates: [5, 5] },
      line([-1, 1], [-0.5, 1]),
    ],
    square(0, 0, 1),
  );
  expect(report).toEqual({ cut: 2, whole: 1, gone: 2, slivers: 0, flattened: 0 });
  expect([0, 1, 2, 3].map((row) => valueAt(columnNamed(table, 'n')!, row))).toEqual([0, 2, 3, 4]);
  expect(planeMeasure(geometryAt(table, 0)!).area).toBe(1);
  expect(planeMeasure(geometryAt(table, 2)!).length).toBe(1);
  const [before, after] = ['area_before_m2', 'area_after_m2'].map((name) => valueAt(columnNamed(table, name)!, 0) as number);
  expect(before / measureOfGeometry(square(0, 0, 2)).area).toBeCloseTo(1, 8);
  expect(after / measureOfGeometry(square(0, 0, 1)).area).toBeCloseTo(1, 8);
  expect(valueAt(columnNamed(table, 'length_after_m')!, 3)).toBeNull();
});

test('small parts are told and stay', () => {
  const comb = {
    type: 'MultiPolygon' as const,
    coordinates: [square(0.5, 0.5, 2), square(-1, 0, 1.0000001)].map((one) => (one as { coordinates: Position[][] }).coordinates),
  };
  const { table, report } = cut([comb], square(0, 0, 1), 1e6);
  expect(report).toEqual({ cut: 1, whole: 0, gone: 0, slivers: 1, flattened: 0 });
  expect(geometryAt(table, 0)!.type).toBe('MultiPolygon');
});

test('heights that a cut loses are told; what lies wholly within keeps them', () => {
  const { table, report } = cut([line([-1, 0.5, 7], [3, 0.5, 9]), line([0.2, 0.2, 7], [0.4, 0.4, 9])], square(0, 0, 1));
  expect(report).toMatchObject({ cut: 1, whole: 1, flattened: 1 });
  expect(geometryAt(table, 1)).toEqual(line([0.2, 0.2, 7], [0.4, 0.4, 9]));
});

// Against another implementation of the overlay: areas and lengths of what is left.
test('what is left measures what a reference library leaves', () => {
  const reader = new GeoJSONReader();
  // To hundredths: the library gives up on coordinates that differ by less than a double can tell.
  const at = fc.integer({ min: 0, max: 1000 }).map((value) => value / 100);
  const box = fc.tuple(at, at, fc.integer({ min: 1, max: 6 })).map(([x, y, w]) => square(x, y, w));
  const path = fc.array(fc.tuple(at, at), { minLength: 2, maxLength: 5 }).map((positions) => line(...positions));
  fc.assert(
    fc.property(fc.array(fc.oneof(box, path), { minLength: 1, maxLength: 8 }), box, (shapes, place) => {
      const { table } = cut(shapes, place, 0, UTM);
      for (let row = 0; row < table.rows; row++) {
        const n = valueAt(columnNamed(table, 'n')!, row) as number;
        const left = (
          OverlayOp as unknown as { intersection(a: unknown, b: unknown): { getArea(): number; getLength(): number } }
        ).intersection(reader.read(shapes[n]), reader.read(place));
        const ours = planeMeasure(geometryAt(table, row)!);
        if (shapes[n].type === 'Polygon') expect(ours.area).toBeCloseTo(left.getArea(), 9);
        else expect(ours.length).toBeCloseTo(left.getLength(), 9);
      }
    }),
    { numRuns: 60 },
  );
});

test.each([
  ['S_INTERSECTS(geometry, POLYGON((0 0, 1 0, 1 1, 0 0)))', 'POLYGON((0 0, 1 0, 1 1, 0 0))'],
  ["S_DWITHIN(geometry, POINT(1 2), 3, 'km')", "BUFFER(POINT(1 2), 3, 'km')"],
  ["S_SHARE_IN(geometry, SOURCE('Wards'), 50)", "SOURCE('Wards')"],
  ["S_DISJOINT(geometry, AREA('x'))", null],
  ["S_DWITHIN(geometry, SOURCE('Paths'), 3, 'm')", null],
  ['n > 1', null],
])('%s can be cut to %s', (text, place) => {
  const found = cutPlaceOf(formOfExpr(parseFilter(text).expr, [{ name: 'n', type: 'number' }]));
  expect(found && printFilter(found as Expr)).toBe(place);
});

test('a shape that is not valid is measured by what it covers, before and after', () => {
  // Two triangles of an area of 1 each, which a sum with signs would take off each other; the place holds one of them.
  const bow: Geometry = {
    type: 'Polygon',
    coordinates: [
      [
        [0, 0],
        [2, 2],
        [2, 0],
        [0, 2],
        [0, 0],
      ],
    ],
  };
  const { table, report } = cut([bow], square(1, -5, 10), 0, UTM);
  expect(report).toMatchObject({ cut: 1, gone: 0 });
  expect(planeMeasure(geometryAt(table, 0)!).area).toBe(1);
  const [before, after] = ['area_before_m2', 'area_after_m2'].map((name) => valueAt(columnNamed(table, name)!, 0) as number);
  expect(before / after).toBeCloseTo(2, 2);
  const builder = new TableBuilder();
  builder.addFeature(bow, null);
  const sifter = new Sifter({ ...builder.finish(), crs: UTM }, 0, UTM, geos);
  const share = (percent: number) =>
    sifter.verdict(parseFilter(`S_SHARE_IN(geometry, POLYGON((1 -5, 11 -5, 11 5, 1 5, 1 -5)), ${percent})`).expr).yes[0];
  expect([share(50), share(50.1)]).toEqual([1, 0]);
});
