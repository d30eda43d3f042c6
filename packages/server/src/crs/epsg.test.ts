import fc from 'fast-check';
import type { Position } from 'geojson';
import { convertLiterals, CRS84, fromLonLat, toLonLat, transformBetween, type Crs } from '@clean-sieve/core';
import { crsNamed, crsOfClue, current, likelyCrs, searchCrs } from './epsg.ts';

const dms = (d: number, m: number, s: number) => Math.sign(d) * (Math.abs(d) + m / 60 + s / 3600);
const plane = (definition: string): Crs => ({ name: 'custom', label: 'test', definition, accuracy: null });

// EPSG guidance note 7-2 (IOGP publication 373-7-2), the worked example of each method; figures from memory of the note.
// The datum stays as it is, so that only the projection is tested.
test.each<[string, string, number, number, number, number]>([
  [
    'Transverse Mercator (British National Grid)',
    '+proj=tmerc +lat_0=49 +lon_0=-2 +k=0.9996012717 +x_0=400000 +y_0=-100000 +ellps=airy',
    0.5,
    50.5,
    577_274.99,
    69_740.5,
  ],
  [
    'Lambert conic conformal, 1 parallel (Jamaica)',
    '+proj=lcc +lat_1=18 +lat_0=18 +lon_0=-77 +k_0=1 +x_0=250000 +y_0=150000 +a=6378206.4 +rf=294.978698214',
    -dms(76, 56, 37.26),
    dms(17, 55, 55.8),
    255_966.58,
    142_493.51,
  ],
  [
    'Lambert conic conformal, 2 parallels (Texas South Central, US feet)',
    '+proj=lcc +lat_1=28.38333333333333 +lat_2=30.28333333333333 +lat_0=27.83333333333333 +lon_0=-99 +x_0=609601.2192024384 +y_0=0 +a=6378206.4 +rf=294.978698214 +to_meter=0.3048006096012192',
    -96,
    28.5,
    2_963_503.91,
    254_759.8,
  ],
  [
    'Mercator variant A (Makassar)',
    '+proj=merc +lon_0=110 +k=0.997 +x_0=3900000 +y_0=900000 +ellps=bessel',
    120,
    -3,
    5_009_726.58,
    569_150.82,
  ],
  [
    'Popular visualisation pseudo-Mercator',
    crsNamed('EPSG:3857').definition!,
    -dms(100, 20, 0),
    dms(24, 22, 54.433),
    -11_169_055.58,
    2_800_000,
  ],
  ['Lambert azimuthal equal area (Europe)', crsNamed('EPSG:3035').definition!, 5, 50, 3_962_799.45, 2_999_718.85],
  [
    'Oblique stereographic (RD New)',
    '+proj=sterea +lat_0=52.15616055555555 +lon_0=5.38763888888889 +k=0.9999079 +x_0=155000 +y_0=463000 +ellps=bessel',
    6,
    53,
    196_105.283,
    557_057.739,
  ],
])('%s', (_, definition, lon, lat, east, north) => {
  const [px, py] = fromLonLat(plane(`${definition} +no_defs`))(lon, lat);
  expect(Math.abs(px - east)).toBeLessThan(0.02);
  expect(Math.abs(py - north)).toBeLessThan(0.02);
});

// Published by national mapping agencies; figures from memory of the publications.
test.each<[string, string, number, number, number, number, number]>([
  // Ordnance Survey, A guide to coordinate systems in Great Britain, annex C: the projection of a position on its own datum.
  [
    'Ordnance Survey, National Grid',
    '+proj=tmerc +lat_0=49 +lon_0=-2 +k=0.9996012717 +x_0=400000 +y_0=-100000 +ellps=airy +no_defs',
    dms(1, 43, 4.5177),
    dms(52, 39, 27.2531),
    651_409.903,
    313_177.27,
    0.002,
  ],
  // ICSM, Geocentric Datum of Australia Technical Manual: Flinders Peak and Buninyong in MGA94.
  [
    'Flinders Peak, MGA zone 55',
    crsNamed('EPSG:28355').definition!,
    dms(144, 25, 29.5244),
    dms(-37, 57, 3.7203),
    273_741.297,
    5_796_489.777,
    0.002,
  ],
  [
    'Buninyong, MGA zone 54',
    crsNamed('EPSG:28354').definition!,
    dms(143, 55, 35.3839),
    dms(-37, 39, 10.1561),
    758_173.797,
    5_828_674.34,
    0.002,
  ],
  // swisstopo, formulas for the change from WGS 84 to LV95: the example, good to a metre by the publication's own word.
  ['swisstopo, LV95', crsNamed('EPSG:2056').definition!, dms(8, 43, 49.79), dms(46, 2, 38.87), 2_699_999.76, 1_099_999.97, 1],
])('%s', (_, definition, lon, lat, east, north, tolerance) => {
  const [x, y] = fromLonLat(plane(definition))(lon, lat);
  expect(Math.abs(x - east)).toBeLessThan(tolerance);
  expect(Math.abs(y - north)).toBeLessThan(tolerance);
});

test('every usable projected system takes the middle of its area there and back', () => {
  const systems = [
    'EPSG:32629',
    'EPSG:25832',
    'EPSG:2056',
    'EPSG:3035',
    'EPSG:2154',
    'EPSG:27700',
    'EPSG:28992',
    'EPSG:2193',
    'EPSG:5514',
    'EPSG:31467',
  ];
  const middle: Record<string, Position> = {
    'EPSG:32629': [-9, 45],
    'EPSG:2193': [173, -41],
    'EPSG:27700': [-2, 53],
    'EPSG:5514': [15, 50],
  };
  fc.assert(
    fc.property(
      fc.constantFrom(...systems),
      fc.double({ min: -1, max: 1, noNaN: true }),
      fc.double({ min: -1, max: 1, noNaN: true }),
      (name, dx, dy) => {
        const crs = crsNamed(name);
        const [lon, lat] = middle[name] ?? [8.5, 47.5];
        const [x, y] = fromLonLat(crs)(lon + dx, lat + dy);
        const [backLon, backLat] = toLonLat(crs)(x, y);
        expect(Math.hypot(backLon - lon - dx, backLat - lat - dy)).toBeLessThan(1e-7);
      },
    ),
  );
});

test('codes are understood in the ways that they are written', () => {
  for (const name of ['32629', 'EPSG:32629', 'epsg::32629', 'urn:ogc:def:crs:EPSG::32629', 'http://www.opengis.net/def/crs/EPSG/0/32629'])
    expect(crsNamed(name).name).toBe('EPSG:32629');
  expect(crsNamed('urn:ogc:def:crs:OGC:1.3:CRS84')).toBe(CRS84);
  expect(() => crsNamed('EPSG:1')).toThrow('is not a coordinate system code');
  expect(() => crsNamed('EPSG:99999')).toThrow('not in the EPSG list');
  expect(() => crsNamed('EPSG:5773')).toThrow('not in the EPSG list');
  expect(() => crsNamed('EPSG:4807')).toThrow('its coordinates are in grads');
});

test('the relation to WGS 84 is said, and how good it is', () => {
  expect(crsNamed('EPSG:27700').accuracy).toMatch(/OSGB36 to WGS 84 \(6\) \(EPSG:1314\), good to about 2 m/);
  expect(crsNamed('EPSG:28992').accuracy).toMatch(/EPSG:4833/);
  expect(crsNamed('EPSG:32629').accuracy).toBeNull();
  expect(crsNamed('EPSG:25832').accuracy).toBeNull();
  expect(crsNamed('EPSG:4269').accuracy).toMatch(/taken as equal to WGS 84 by .*good to about 4 m/);
  // Known only by a grid.
  expect(crsNamed('EPSG:2009').accuracy).toMatch(/only published as a grid/);
});

test('what a workspace remembers of a system is brought to the list at hand', () => {
  const old = { ...crsNamed('EPSG:28992'), definition: '+proj=sterea +towgs84=0,0,0', accuracy: null };
  expect(current(old)).toEqual(crsNamed('EPSG:28992'));
  expect(current(CRS84)).toBe(CRS84);
});

// OGP publication 373-7-2: RD New's place of the Westertoren, and what shapefiles write; the figures are PROJ's (cs2cs).
test.each([
  [
    'PROJCS["WGS_1984_Web_Mercator_Auxiliary_Sphere",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Mercator_Auxiliary_Sphere"],PARAMETER["False_Easting",0.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",0.0],PARAMETER["Standard_Parallel_1",0.0],PARAMETER["Auxiliary_Sphere_Type",0.0],UNIT["Meter",1.0]]',
    'EPSG:3857',
  ],
  [
    'PROJCS["WGS_1984_NSIDC_Sea_Ice_Polar_Stereographic_North",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Stereographic_North_Pole"],PARAMETER["False_Easting",0.0],PARAMETER["False_Northing",0.0],PARAMETER["Central_Meridian",-45.0],PARAMETER["Standard_Parallel_1",70.0],UNIT["Meter",1.0]]',
    'EPSG:3413',
  ],
  [
    'PROJCS["NTF_France_II_degrees",GEOGCS["GCS_NTF_Paris",DATUM["D_NTF",SPHEROID["Clarke_1880_IGN",6378249.2,293.46602]],PRIMEM["Paris",2.337229166666667],UNIT["Grad",0.01570796326794897]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["False_Easting",600000.0],PARAMETER["False_Northing",2200000.0],PARAMETER["Central_Meridian",0.0],PARAMETER["Standard_Parallel_1",52.0],PARAMETER["Scale_Factor",0.99987742],PARAMETER["Latitude_Of_Origin",52.0],UNIT["Meter",1.0]]',
    'EPSG:27572',
  ],
])('well-known text of a shapefile is the system that it means: %#', (wkt, name) => {
  expect(crsOfClue({ kind: 'wkt', wkt })?.name).toBe(name);
});

test('standard parallels in either order are one system', () => {
  const wkt = (first: number, second: number) =>
    `PROJCS["x",GEOGCS["GCS_RGF_1993",DATUM["D_RGF_1993",SPHEROID["GRS_1980",6378137.0,298.257222101]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Lambert_Conformal_Conic"],PARAMETER["False_Easting",700000.0],PARAMETER["False_Northing",6600000.0],PARAMETER["Central_Meridian",3.0],PARAMETER["Standard_Parallel_1",${first}],PARAMETER["Standard_Parallel_2",${second}],PARAMETER["Latitude_Of_Origin",46.5],UNIT["Meter",1.0]]`;
  expect(crsOfClue({ kind: 'wkt', wkt: wkt(49, 44) })?.name).toBe('EPSG:2154');
  expect(crsOfClue({ kind: 'wkt', wkt: wkt(44, 49) })?.name).toBe('EPSG:2154');
});

test.each([
  ['a method', 'PROJECTION["Somebodys_Own"]'],
  ['a parameter', 'PROJECTION["Transverse_Mercator"],PARAMETER["Wobble",3]'],
])('%s that is not known is refused, not guessed', (_, inside) => {
  const wkt = `PROJCS["x",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["Degree",0.0174532925199433]],${inside},UNIT["Meter",1]]`;
  expect(crsOfClue({ kind: 'wkt', wkt })).toBeNull();
});

test('the list is searched by code, name and area', () => {
  expect(searchCrs('32629')[0].code).toBe(32_629);
  expect(searchCrs('british national grid')[0].code).toBe(27_700);
  expect(searchCrs('lv95')[0].code).toBe(2056);
  expect(searchCrs('web mercator')[0].code).toBe(3857);
  expect(searchCrs('wgs 84 / utm zone 29n')[0].code).toBe(32_629);
  expect(searchCrs('nothing has this name')).toEqual([]);
});

test('coordinates suggest the systems that they would fit', () => {
  const codes = likelyCrs([2_600_000, 1_199_000, 2_601_000, 1_200_000]).map(({ code }) => code);
  expect(codes).toContain(2056);
});

describe('literals in another system', () => {
  const utm = crsNamed('EPSG:32629');
  test('edges stay where they were, to the millimetre', () => {
    const line: Position[] = [
      [-12, 46],
      [-11, 46],
    ];
    const converted = convertLiterals({ type: 'LineString', coordinates: line }, CRS84, utm) as GeoJSON.LineString;
    expect(converted.coordinates.length).toBeGreaterThan(10);
    const convert = transformBetween(CRS84, utm);
    for (let t = 0; t <= 1; t += 0.013) {
      const [x, y] = convert(-12 + t, 46);
      let nearest = Infinity;
      for (let i = 1; i < converted.coordinates.length; i++) {
        const [[x1, y1], [x2, y2]] = [converted.coordinates[i - 1], converted.coordinates[i]];
        const along = Math.max(0, Math.min(1, ((x - x1) * (x2 - x1) + (y - y1) * (y2 - y1)) / ((x2 - x1) ** 2 + (y2 - y1) ** 2)));
        nearest = Math.min(nearest, Math.hypot(x - x1 - along * (x2 - x1), y - y1 - along * (y2 - y1)));
      }
      expect(nearest).toBeLessThan(0.0011);
    }
  });

  test('nothing is done where both systems are the same', () => {
    const point = { type: 'Point' as const, coordinates: [263_000.123456789, 5_164_000] };
    expect(convertLiterals(point, utm, utm)).toBe(point);
  });
});
