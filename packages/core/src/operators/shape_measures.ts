import { systemByCode, tellsSystems } from '../crs/systems_by_code.ts';
import { GEOMETRY_NAME, isProperty, type Expr } from '../filters/ast.ts';
import { FilterError } from '../filters/filter_error.ts';
import { AREA_UNITS, areaUnit, LENGTH_UNITS, lengthUnit } from '../space/units.ts';
import type { Operator, ShapeMeasure } from './operator.ts';

function shapeMeasure(of: {
  name: string;
  /** Words for its unit, and metres or square metres in one; null for a measure without. */
  units: { words: readonly string[]; size: (word: string) => number | null } | null;
  usage: string;
  meaning: string;
  /** Takes the code of a system, its own where there is none. */
  inSystem?: boolean;
  prose: (unit: string) => string;
  measure: ShapeMeasure;
}): Operator {
  const sizeOf = (unit: Expr | undefined) => (typeof unit === 'string' ? (of.units?.size(unit) ?? null) : null);
  return {
    name: of.name,
    syntax: { kind: 'function' },
    arity: of.units ? [2, 2] : [1, of.inSystem ? 2 : 1],
    standard: false,
    result: 'number',
    help: { usage: of.usage, meaning: of.meaning },
    check: ({ name, args, at, example }) => {
      if (!isProperty(args[0]) || args[0].property !== GEOMETRY_NAME)
        throw new FilterError(`${name} measures the feature's own geometry`, at(0), example, GEOMETRY_NAME);
      if (of.units && sizeOf(args[1]) === null)
        throw new FilterError(`${name} needs a unit`, at(1), `Units are ${of.units.words.map((word) => `'${word}'`).join(', ')}`);
      if (!of.inSystem || args.length < 2) return;
      const code = systemOf(args);
      if (code === null) throw new FilterError(`${name} takes the code of a system`, at(1), "Write it as in 'EPSG:2056'");
      if (tellsSystems()) systemByCode(code, at(1));
    },
    prose: (args) => of.prose(typeof args[1] === 'string' ? args[1] : ''),
    evaluation: { by: 'shape', measure: of.measure, unit: (args) => sizeOf(args[1]) ?? 1, system: of.inSystem ? systemOf : undefined },
    fails: of.inSystem ? 'has no geometry, or lies where the system does not reach' : 'has no geometry',
  };
}

/** The code of a system among what a call is given; null where it says none. */
const systemOf = ([, code]: readonly Expr[]): string | null => (typeof code === 'string' && /^EPSG:\d{4,6}$/.test(code) ? code : null);

const AREA = {
  words: Object.keys(AREA_UNITS),
  size(word: string): number | null {
    const unit = areaUnit(word);
    return unit && AREA_UNITS[unit];
  },
};
const LENGTH = {
  words: Object.keys(LENGTH_UNITS),
  size(word: string): number | null {
    const unit = lengthUnit(word);
    return unit && LENGTH_UNITS[unit];
  },
};

/** Measures of the feature's own geometry, on the WGS 84 ellipsoid with edges as geodesics. */
export const SHAPE_MEASURES: readonly Operator[] = [
  shapeMeasure({
    name: 'AREA_OF',
    units: AREA,
    usage: "AREA_OF(geometry, 'ha')",
    meaning: 'the area of the polygons of the feature on the ellipsoid; 0 for points and lines',
    prose: (unit) => `the area in ${unit}`,
    measure: 'area',
  }),
  shapeMeasure({
    name: 'LENGTH_OF',
    units: LENGTH,
    usage: "LENGTH_OF(geometry, 'km')",
    meaning: 'the length of the lines of the feature on the ellipsoid; 0 for points and polygons',
    prose: (unit) => `the length in ${unit}`,
    measure: 'length',
  }),
  shapeMeasure({
    name: 'PERIMETER_OF',
    units: LENGTH,
    usage: "PERIMETER_OF(geometry, 'm')",
    meaning: 'the length of the edges of the polygons of the feature, those of holes too, on the ellipsoid',
    prose: (unit) => `the perimeter in ${unit}`,
    measure: 'perimeter',
  }),
  shapeMeasure({
    name: 'CENTRE_LON',
    units: null,
    usage: 'CENTRE_LON(geometry)',
    meaning: 'the longitude of the centre of gravity, in degrees',
    prose: () => 'the longitude of the centre',
    measure: 'lon',
  }),
  shapeMeasure({
    name: 'CENTRE_LAT',
    units: null,
    usage: 'CENTRE_LAT(geometry)',
    meaning: 'the latitude of the centre of gravity, in degrees',
    prose: () => 'the latitude of the centre',
    measure: 'lat',
  }),
  shapeMeasure({
    name: 'CENTRE_X',
    units: null,
    inSystem: true,
    usage: "CENTRE_X(geometry, 'EPSG:2056')",
    meaning: "the first coordinate of the centre of gravity in a system, in the source's own where none is said",
    prose: (system) => `the x of the centre${system === '' ? '' : ` in ${system}`}`,
    measure: 'x',
  }),
  shapeMeasure({
    name: 'CENTRE_Y',
    units: null,
    inSystem: true,
    usage: "CENTRE_Y(geometry, 'EPSG:2056')",
    meaning: "the second coordinate of the centre of gravity in a system, in the source's own where none is said",
    prose: (system) => `the y of the centre${system === '' ? '' : ` in ${system}`}`,
    measure: 'y',
  }),
  shapeMeasure({
    name: 'PARTS_OF',
    units: null,
    usage: 'PARTS_OF(geometry)',
    meaning: 'how many points, lines or polygons the feature is made of',
    prose: () => 'the number of parts',
    measure: 'parts',
  }),
  shapeMeasure({
    name: 'CORNERS_OF',
    units: null,
    usage: 'CORNERS_OF(geometry)',
    meaning: 'how many corners the feature has; the last of a ring, which is its first, is not counted again',
    prose: () => 'the number of corners',
    measure: 'corners',
  }),
];
