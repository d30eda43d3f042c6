import { childOf, parseWkt, type WktNode } from './crs_wkt_tree.ts';

/** A coordinate system as its well-known text tells it. */
export interface WktSystem {
  kind: 'geographic' | 'projected';
  name: string;
  /** Code of the EPSG dataset, where the text names one. */
  code: number | null;
  datum: Datum;
  /** PROJ string of the projection on the ellipsoid, without a relation to WGS 84. */
  projection: string;
  /** Relation to WGS 84 that the text carries, as seven position-vector parameters; null without. */
  towgs84: number[] | null;
}
export interface Datum {
  name: string;
  /** Semi-major axis in metres, inverse flattening (0 of a sphere), prime meridian in degrees from Greenwich. */
  a: number;
  rf: number;
  meridian: number;
}

const DEGREE = Math.PI / 180;
/** Words that are spelled with blanks, underscores or hyphens, in capitals or not. */
const plain = (name: string) => name.toLowerCase().replaceAll(/[^a-z0-9]/g, '');

type Key = 'lat0' | 'lon0' | 'lat1' | 'lat2' | 'k' | 'x0' | 'y0' | 'alpha' | 'gamma' | 'aux' | 'xScale' | 'yScale' | 'turn';
type Quantity = 'angle' | 'length' | 'number';

/** Parameters by the names that OGC 01-009, the EPSG dataset (guidance note 7-2) and the well-known text of shapefiles give them. */
const PARAMETERS: Record<Key, [Quantity, string]> = {
  lat0: ['angle', 'latitudeoforigin latitudeofnaturalorigin latitudeofcenter latitudeoffalseorigin latitudeofprojectioncentre'],
  lon0: [
    'angle',
    'centralmeridian longitudeofnaturalorigin longitudeofcenter longitudeoforigin longitudeoffalseorigin longitudeofprojectioncentre',
  ],
  lat1: [
    'angle',
    'standardparallel1 latitudeof1ststandardparallel latitudeofstandardparallel pseudostandardparallel1 latitudeofpseudostandardparallel',
  ],
  lat2: ['angle', 'standardparallel2 latitudeof2ndstandardparallel'],
  k: [
    'number',
    'scalefactor scalefactoratnaturalorigin scalefactoratprojectioncentre scalefactoronpseudostandardparallel scalefactoroninitialline',
  ],
  x0: ['length', 'falseeasting eastingatfalseorigin eastingatprojectioncentre'],
  y0: ['length', 'falsenorthing northingatfalseorigin northingatprojectioncentre'],
  alpha: ['angle', 'azimuth azimuthatprojectioncentre azimuthofinitialline colatitudeofconeaxis'],
  gamma: ['angle', 'rectifiedgridangle anglefromrectifiedtoskewgrid'],
  aux: ['number', 'auxiliaryspheretype'],
  xScale: ['number', 'xscale'],
  yScale: ['number', 'yscale'],
  turn: ['angle', 'xyplanerotation'],
};
const KEYS = new Map(
  (Object.keys(PARAMETERS) as Key[]).flatMap((key) => PARAMETERS[key][1].split(' ').map((name) => [name, key] as const)),
);

/** Degrees, metres and numbers by key; what the text leaves out is 0, a scale 1. */
type Given = Partial<Record<Key, number>>;
/** The PROJ words of a method; null when its parameters are not those of the method. */
type Method = (given: Given, datum: Datum) => string | null;

const value = (number: number) => String(Number(number.toPrecision(15)));
const word = (name: string, number: number | undefined, missing = 0) => ` +${name}=${value(number ?? missing)}`;
const origin = ({ x0, y0 }: Given) => word('x_0', x0) + word('y_0', y0);
const near = (a: number | undefined, b: number, by = 1e-9) => Math.abs((a ?? 0) - b) <= by;
const unscaled = ({ k }: Given) => k === undefined || near(k, 1, 1e-12);

/** The same parameters with some in the place of others. */
const having = (given: Given, more: Given): Given => Object.assign(Object.create(given) as Given, more);

const transverse: Method = (g) => `+proj=tmerc${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('k', g.k, 1)}${origin(g)}`;
const cone1: Method = (g) =>
  `+proj=lcc${word('lat_1', g.lat1 ?? g.lat0)}${word('lat_0', g.lat0 ?? g.lat1)}${word('lon_0', g.lon0)}${word('k_0', g.k, 1)}${origin(g)}`;
const cone2: Method = (g) =>
  unscaled(g)
    ? `+proj=lcc${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('lat_1', g.lat1)}${word('lat_2', g.lat2)}${origin(g)}`
    : null;
const mercator: Method = (g) => {
  if (!near(g.lat0, 0)) return null;
  if (g.lat1 === undefined) return `+proj=merc${word('lon_0', g.lon0)}${word('k', g.k, 1)}${origin(g)}`;
  return unscaled(g) ? `+proj=merc${word('lat_ts', g.lat1)}${word('lon_0', g.lon0)}${origin(g)}` : null;
};
/** The sphere's formulas with latitudes of the ellipsoid. */
const pseudoMercator: Method = (g, { a }) =>
  near(g.lat0, 0) && near(g.lat1, 0) && near(g.aux, 0) && unscaled(g)
    ? `+proj=merc +a=${a} +b=${a} +lat_ts=0${word('lon_0', g.lon0)}${origin(g)} +k=1 +nadgrids=@null`
    : null;
/** A latitude of origin short of the pole is the standard parallel. */
const polar: Method = (g) => {
  const lat = g.lat1 ?? g.lat0 ?? 90;
  const pole = lat < 0 ? -90 : 90;
  const scaled = near(Math.abs(lat), 90);
  if (!scaled && !unscaled(g)) return null;
  return `+proj=stere +lat_0=${pole}${scaled ? word('k', g.k, 1) : word('lat_ts', lat)}${word('lon_0', g.lon0)}${origin(g)}`;
};
const atPole =
  (pole: number): Method =>
  (g, datum) =>
    polar(having(g, { lat1: g.lat1 ?? pole }), datum);
const conic =
  (proj: string): Method =>
  (g) =>
    unscaled(g)
      ? `+proj=${proj}${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('lat_1', g.lat1)}${word('lat_2', g.lat2)}${origin(g)}`
      : null;
const centred =
  (proj: string): Method =>
  (g) =>
    unscaled(g) ? `+proj=${proj}${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${origin(g)}` : null;
const scaled =
  (proj: string): Method =>
  (g) =>
    `+proj=${proj}${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('k', g.k, 1)}${origin(g)}`;
const round =
  (proj: string): Method =>
  (g) =>
    unscaled(g) && near(g.lat0, 0) && near(g.lat1, 0) ? `+proj=${proj}${word('lon_0', g.lon0)}${origin(g)}` : null;
const atParallel =
  (proj: string): Method =>
  (g) =>
    unscaled(g) ? `+proj=${proj}${word('lat_ts', g.lat1)}${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${origin(g)}` : null;
const oblique =
  (natural: boolean): Method =>
  (g) => {
    if (near(g.alpha, 90) && near(g.gamma ?? g.alpha, 90) && !natural)
      return `+proj=somerc${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('k_0', g.k, 1)}${origin(g)}`;
    const off = natural ? ' +no_uoff' : '';
    return `+proj=omerc${off}${word('lat_0', g.lat0)}${word('lonc', g.lon0)}${word('alpha', g.alpha)}${word('gamma', g.gamma ?? g.alpha)}${word('k', g.k, 1)}${origin(g)}`;
  };
/** The angle of the rectified grid as a turn of the plane. */
const turned =
  (method: Method): Method =>
  (g, datum) =>
    method(having(g, g.turn === undefined ? {} : { gamma: g.turn }), datum);
/** Axes point east and north, or south and west where the plane is not turned. */
const krovak: Method = (g) => {
  if (!near(g.lat1, 78.5) || !near(g.alpha, 30.28813975277778, 1e-6)) return null;
  const [xScale, yScale, turn] = [g.xScale ?? -1, g.yScale ?? 1, g.turn ?? 90];
  const southWest = near(xScale, 1) && near(turn, 0);
  if (!near(yScale, 1) || !(southWest || (near(xScale, -1) && near(turn, 90)))) return null;
  const axis = southWest ? ' +axis=swu' : '';
  return `+proj=krovak${axis}${word('lat_0', g.lat0)}${word('lon_0', g.lon0)}${word('alpha', g.alpha)}${word('k', g.k, 1)}${origin(g)}`;
};

/** Methods by their plain names in all dialects. Some names mean several methods, told apart by the parameters. */
const METHODS = new Map<string, Method>(
  (
    [
      ['transversemercator transversemercatorcomplex gausskruger', transverse],
      ['transversemercatorsouthorientated', (g, d) => transverse(g, d)!.replace('+proj=tmerc', '+proj=tmerc +axis=wsu')],
      ['mercator mercator1sp mercator2sp mercatorvarianta mercatorvariantb', mercator],
      ['mercatorauxiliarysphere popularvisualisationpseudomercator', pseudoMercator],
      ['lambertconformalconic lambertconicconformal', (g, d) => (g.lat2 === undefined ? cone1 : cone2)(g, d)],
      ['lambertconformalconic1sp lambertconicconformal1sp lambertconicconformal1spvariantb', cone1],
      ['lambertconformalconic2sp lambertconicconformal2sp', cone2],
      [
        'lambertconformalconic2spbelgium lambertconicconformal2spbelgium',
        (g, d) => cone2(having(g, { lon0: (g.lon0 ?? 0) - 29.2985 / 3600 }), d),
      ],
      ['albers albersconicequalarea albersequalarea', conic('aea')],
      ['equidistantconic', conic('eqdc')],
      ['lambertazimuthalequalarea', centred('laea')],
      ['azimuthalequidistant modifiedazimuthalequidistant', centred('aeqd')],
      ['cassini cassinisoldner', centred('cass')],
      ['polyconic americanpolyconic', centred('poly')],
      ['gnomonic', centred('gnom')],
      ['newzealandmapgrid', centred('nzmg')],
      ['obliquestereographic doublestereographic', scaled('sterea')],
      ['stereographic', (g, d) => (near(Math.abs(g.lat0 ?? 0), 90) ? polar : scaled('stere'))(g, d)],
      ['polarstereographic polarstereographicvarianta polarstereographicvariantb', polar],
      ['stereographicnorthpole', atPole(90)],
      ['stereographicsouthpole', atPole(-90)],
      [
        'cylindricalequalarea lambertcylindricalequalarea behrmann',
        (g) => (unscaled(g) && near(g.lat0, 0) ? `+proj=cea${word('lat_ts', g.lat1)}${word('lon_0', g.lon0)}${origin(g)}` : null),
      ],
      ['equirectangular equidistantcylindrical platecarree', atParallel('eqc')],
      [
        'bonne',
        (g) =>
          unscaled(g) && near(g.lat0 ?? g.lat1, g.lat1 ?? g.lat0 ?? 0)
            ? `+proj=bonne${word('lat_1', g.lat1 ?? g.lat0)}${word('lon_0', g.lon0)}${origin(g)}`
            : null,
      ],
      ['sinusoidal', round('sinu')],
      ['mollweide', round('moll')],
      ['robinson', round('robin')],
      ['millercylindrical', round('mill')],
      ['vandergrinteni vandergrinten', round('vandg')],
      ['equalearth', round('eqearth')],
      ['hotineobliquemercator hotineobliquemercatorvarianta hotineobliquemercatorazimuthnaturalorigin', oblique(true)],
      ['rectifiedskeworthomorphicnaturalorigin', turned(oblique(true))],
      ['hotineobliquemercatorazimuthcenter hotineobliquemercatorvariantb', oblique(false)],
      ['rectifiedskeworthomorphiccenter', turned(oblique(false))],
      ['swissobliquecylindrical', (g, d) => oblique(false)(having(g, { alpha: 90, gamma: 90 }), d)],
      ['krovak krovaknorthorientated', krovak],
    ] as [string, Method][]
  ).flatMap(([names, method]) => names.split(' ').map((name) => [name, method] as const)),
);

/**
 * Reads a geographic or projected system from well-known text: OGC 01-009 as several programs write it, the dialect of
 * shapefiles, and ISO 19162. Null for what is not understood in full: a method, a parameter or a unit that is not known.
 */
export function systemOfWkt(wkt: string): WktSystem | null {
  const root = parseWkt(wkt);
  if (!root) return null;
  const bound = root.word === 'BOUNDCRS' ? childOf(childOf(root, 'SOURCECRS') ?? root, ...PROJECTED, ...GEOGRAPHIC) : root;
  if (!bound) return null;
  const projected = PROJECTED.includes(bound.word);
  if (!projected && !GEOGRAPHIC.includes(bound.word)) return null;
  const base = projected ? childOf(bound, 'GEOGCS', 'BASEGEOGCRS', 'BASEGEODCRS') : bound;
  const datum = base && datumOf(base);
  if (!base || !datum) return null;
  const projection = projected ? projectionOf(bound, base, datum) : geographic(bound, datum);
  if (projection === null) return null;
  return {
    kind: projected ? 'projected' : 'geographic',
    name: bound.name,
    code: codeOf(bound),
    datum,
    projection,
    towgs84: shiftOf(base),
  };
}

const PROJECTED = ['PROJCS', 'PROJCRS', 'PROJECTEDCRS'];
const GEOGRAPHIC = ['GEOGCS', 'GEOGCRS', 'GEODCRS', 'GEOGRAPHICCRS', 'GEODETICCRS'];

function codeOf(node: WktNode): number | null {
  const id = childOf(node, 'AUTHORITY', 'ID');
  if (!id || id.name.toUpperCase() !== 'EPSG') return null;
  const code = Number(id.texts[1] ?? id.values[0]);
  return Number.isInteger(code) ? code : null;
}

function datumOf(base: WktNode): Datum | null {
  const datum = childOf(base, 'DATUM', 'GEODETICDATUM', 'TRF', 'ENSEMBLE');
  const ellipsoid = datum && childOf(datum, 'SPHEROID', 'ELLIPSOID');
  if (!datum || !ellipsoid || ellipsoid.values.length < 2) return null;
  const unit = childOf(ellipsoid, 'LENGTHUNIT', 'UNIT')?.values[0] ?? 1;
  const meridian = childOf(base, 'PRIMEM', 'PRIMEMERIDIAN') ?? childOf(datum, 'PRIMEM', 'PRIMEMERIDIAN');
  // OGC 01-009 gives the prime meridian in the unit of the system, the dialects in degrees; a unit of its own settles it.
  const own = meridian && childOf(meridian, 'ANGLEUNIT', 'UNIT')?.values[0];
  const degrees = meridian ? meridian.values[0] * (own === undefined ? 1 : own / DEGREE) : 0;
  return { name: datum.name, a: ellipsoid.values[0] * unit, rf: ellipsoid.values[1], meridian: degrees };
}

/** TOWGS84 of OGC 01-009: three or seven parameters, rotations in arc-seconds as position vectors. */
function shiftOf(base: WktNode): number[] | null {
  const datum = childOf(base, 'DATUM');
  const shift = datum && childOf(datum, 'TOWGS84')?.values;
  if (!shift || (shift.length !== 3 && shift.length !== 7)) return null;
  return shift.length === 3 ? [...shift, 0, 0, 0, 0] : shift;
}

function onEllipsoid({ a, rf, meridian }: Datum): string {
  const shape = rf > 0 ? ` +a=${value(a)} +rf=${value(rf)}` : ` +a=${value(a)} +b=${value(a)}`;
  return shape + (meridian === 0 ? '' : ` +pm=${value(meridian)}`);
}

function geographic(node: WktNode, datum: Datum): string | null {
  const unit = (childOf(node, 'UNIT', 'ANGLEUNIT') ?? childOf(childOf(node, 'AXIS') ?? node, 'ANGLEUNIT'))?.values[0];
  return unit === undefined || near(unit, DEGREE, 1e-9) ? `+proj=longlat${onEllipsoid(datum)}` : null;
}

function projectionOf(node: WktNode, base: WktNode, datum: Datum): string | null {
  const conversion = childOf(node, 'CONVERSION') ?? node;
  const named = childOf(conversion, 'PROJECTION', 'METHOD');
  const extension = node.nodes.find(({ word: w, name }) => w === 'EXTENSION' && name === 'PROJ4')?.texts[1];
  const pseudo = extension !== undefined && /\+proj=merc \+a=(\S+) \+b=\1 /.test(extension);
  if (!named || (extension !== undefined && !pseudo)) return null;
  const length = lengthUnitOf(node);
  const angle = (childOf(base, 'UNIT', 'ANGLEUNIT')?.values[0] ?? DEGREE) / DEGREE;
  if (length === null) return null;
  const given: Given = {};
  for (const parameter of conversion.nodes.filter(({ word: w }) => w === 'PARAMETER')) {
    const key = KEYS.get(plain(parameter.name));
    if (!key || parameter.values.length !== 1) return null;
    const [quantity] = PARAMETERS[key];
    const own = childOf(parameter, 'ANGLEUNIT', 'LENGTHUNIT', 'SCALEUNIT', 'UNIT')?.values[0];
    const factor = quantity === 'angle' ? (own === undefined ? angle : own / DEGREE) : quantity === 'length' ? (own ?? length) : (own ?? 1);
    const number = parameter.values[0] * factor;
    // Azimuths count from 0 to 360 in some dialects, from −180 to 180 in others.
    given[key] = key === 'alpha' || key === 'gamma' || key === 'turn' ? (number + 360) % 360 : number;
  }
  const method = pseudo ? pseudoMercator : METHODS.get(plain(named.name));
  // A parameter that the method does not look at would change the projection unseen.
  const seen = new Set<string | symbol>();
  const watched = new Proxy(given, {
    get: (target, key) => {
      seen.add(key);
      return Reflect.get(target, key) as number | undefined;
    },
  });
  const words = method?.(watched, datum);
  if (!words || Object.keys(given).some((key) => !seen.has(key))) return null;
  const axis = axisOf(node);
  if (axis === null) return null;
  const shape = words.includes('+nadgrids=@null') ? '' : onEllipsoid(datum);
  const turned = axis !== 'enu' && !words.includes('+axis=') ? words.replace(/^(\+proj=\w+)/, `$1 +axis=${axis}`) : words;
  return `${turned}${shape}${near(length, 1, 1e-15) ? ' +units=m' : ` +to_meter=${value(length)}`}`;
}

function lengthUnitOf(node: WktNode): number | null {
  const unit = childOf(node, 'UNIT', 'LENGTHUNIT') ?? childOf(childOf(node, 'AXIS') ?? node, 'LENGTHUNIT', 'UNIT');
  const metres = unit ? unit.values[0] : 1;
  return metres > 0 ? metres : null;
}

/**
 * Directions of the coordinates as files hold them. Where the axes are north and east, files hold east first (common
 * practice); directions that are both other than that are kept in their order.
 */
function axisOf(node: WktNode): string | null {
  const axes = node.nodes
    .filter(({ word: w }) => w === 'AXIS')
    .slice(0, 2)
    .map(({ flags }) => flags[0] ?? '');
  if (axes.length < 2) return 'enu';
  const polar = axes.every((axis) => axis === 'NORTH' || axis === 'SOUTH');
  if (polar || (axes.includes('EAST') && axes.includes('NORTH'))) return 'enu';
  const letters = axes.map((axis) => ({ EAST: 'e', WEST: 'w', NORTH: 'n', SOUTH: 's' })[axis]);
  return letters.includes(undefined) ? null : `${letters.join('')}u`;
}
