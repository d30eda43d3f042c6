import { CRS84, type Crs } from './crs.ts';
import { parseWkt, type WktNode } from './crs_wkt_tree.ts';

type Json = string | number | boolean | null | Json[] | { [key: string]: Json };

/** OGC:CRS84, what GeoParquet means when it names no system. */
const CRS84_JSON: Json = {
  $schema: 'https://proj.org/schemas/v0.7/projjson.schema.json',
  type: 'GeographicCRS',
  name: 'WGS 84 (CRS84)',
  datum: {
    type: 'GeodeticReferenceFrame',
    name: 'World Geodetic System 1984',
    ellipsoid: { name: 'WGS 84', semi_major_axis: 6378137, inverse_flattening: 298.257223563 },
  },
  coordinate_system: {
    subtype: 'ellipsoidal',
    axis: axes(['Geodetic longitude', 'Lon', 'east'], ['Geodetic latitude', 'Lat', 'north'], 'degree'),
  },
  id: { authority: 'OGC', code: 'CRS84' },
};

/** EPSG parameters (guidance note 7-2) by their names in the older well-known text, with their codes. */
const PARAMETERS = {
  latitude: ['Latitude of natural origin', 8801],
  longitude: ['Longitude of natural origin', 8802],
  scale: ['Scale factor at natural origin', 8805],
  easting: ['False easting', 8806],
  northing: ['False northing', 8807],
  latitudeFalse: ['Latitude of false origin', 8821],
  longitudeFalse: ['Longitude of false origin', 8822],
  parallel1: ['Latitude of 1st standard parallel', 8823],
  parallel2: ['Latitude of 2nd standard parallel', 8824],
  eastingFalse: ['Easting at false origin', 8826],
  northingFalse: ['Northing at false origin', 8827],
  latitudeCentre: ['Latitude of projection centre', 8811],
  longitudeCentre: ['Longitude of projection centre', 8812],
  azimuth: ['Azimuth at projection centre', 8813],
  gridAngle: ['Angle from Rectified to Skew Grid', 8814],
  scaleCentre: ['Scale factor at projection centre', 8815],
  eastingCentre: ['Easting at projection centre', 8816],
  northingCentre: ['Northing at projection centre', 8817],
} as const;
type Parameter = keyof typeof PARAMETERS;

const NATURAL: Record<string, Parameter> = {
  latitude_of_origin: 'latitude',
  central_meridian: 'longitude',
  scale_factor: 'scale',
  false_easting: 'easting',
  false_northing: 'northing',
};
const CENTRED: Record<string, Parameter> = {
  latitude_of_center: 'latitude',
  longitude_of_center: 'longitude',
  false_easting: 'easting',
  false_northing: 'northing',
};
const PARALLELS: Record<string, Parameter> = {
  latitude_of_origin: 'latitudeFalse',
  central_meridian: 'longitudeFalse',
  latitude_of_center: 'latitudeFalse',
  longitude_of_center: 'longitudeFalse',
  standard_parallel_1: 'parallel1',
  standard_parallel_2: 'parallel2',
  false_easting: 'eastingFalse',
  false_northing: 'northingFalse',
};
const OBLIQUE: Record<string, Parameter> = {
  latitude_of_center: 'latitudeCentre',
  longitude_of_center: 'longitudeCentre',
  azimuth: 'azimuth',
  rectified_grid_angle: 'gridAngle',
  scale_factor: 'scaleCentre',
};

/** Methods by their names in the older well-known text, with the EPSG name and code. */
const METHODS: Record<string, { name: string; code: number; parameters: Record<string, Parameter> }> = {
  Transverse_Mercator: { name: 'Transverse Mercator', code: 9807, parameters: NATURAL },
  Transverse_Mercator_South_Orientated: { name: 'Transverse Mercator (South Orientated)', code: 9808, parameters: NATURAL },
  Mercator_1SP: { name: 'Mercator (variant A)', code: 9804, parameters: NATURAL },
  Lambert_Conformal_Conic_1SP: { name: 'Lambert Conic Conformal (1SP)', code: 9801, parameters: NATURAL },
  Lambert_Conformal_Conic_2SP: { name: 'Lambert Conic Conformal (2SP)', code: 9802, parameters: PARALLELS },
  Albers_Conic_Equal_Area: { name: 'Albers Equal Area', code: 9822, parameters: PARALLELS },
  Lambert_Azimuthal_Equal_Area: { name: 'Lambert Azimuthal Equal Area', code: 9820, parameters: { ...NATURAL, ...CENTRED } },
  Oblique_Stereographic: { name: 'Oblique Stereographic', code: 9809, parameters: NATURAL },
  Cassini_Soldner: { name: 'Cassini-Soldner', code: 9806, parameters: NATURAL },
  Hotine_Oblique_Mercator: {
    name: 'Hotine Oblique Mercator (variant A)',
    code: 9812,
    parameters: { ...OBLIQUE, false_easting: 'easting', false_northing: 'northing' },
  },
  Hotine_Oblique_Mercator_Azimuth_Center: {
    name: 'Hotine Oblique Mercator (variant B)',
    code: 9815,
    parameters: { ...OBLIQUE, false_easting: 'eastingCentre', false_northing: 'northingCentre' },
  },
};

/**
 * A system as PROJJSON (the encoding of ISO 19111 that GeoParquet asks for), from its well-known text of OGC 01-009.
 * @returns null where the method is not among those translated here
 */
export function projJsonOf(crs: Crs, wkt: string | null): Json | null {
  if (crs.definition === CRS84.definition) return CRS84_JSON;
  if (wkt === null) return null;
  const root = parseWkt(wkt);
  if (root?.word === 'GEOGCS') return { $schema: (CRS84_JSON as { $schema: string }).$schema, ...geographic(root) };
  if (root?.word !== 'PROJCS') return null;
  const base = root.nodes.find(({ word }) => word === 'GEOGCS');
  const method = methodOf(root);
  const unit = unitOf(root);
  if (!base || !method || !unit) return null;
  const parameters: Json[] = [];
  for (const { word, name, values } of root.nodes) {
    if (word !== 'PARAMETER' || (method === PSEUDO_MERCATOR && name === 'scale_factor')) continue;
    const parameter = method.parameters[name];
    if (!parameter) return null;
    const [long, code] = PARAMETERS[parameter];
    const isLength = /easting|northing/i.test(long);
    const of = isLength ? unit : parameter.startsWith('scale') ? 'unity' : 'degree';
    parameters.push({ name: long, value: values[0], unit: of, id: { authority: 'EPSG', code } });
  }
  const { name, code } = method;
  return {
    $schema: (CRS84_JSON as { $schema: string }).$schema,
    type: 'ProjectedCRS',
    name: root.name,
    base_crs: geographic(base),
    conversion: { name: 'unnamed', method: { name, id: { authority: 'EPSG', code } }, parameters },
    coordinate_system: { subtype: 'Cartesian', axis: axes(['Easting', 'E', 'east'], ['Northing', 'N', 'north'], unit) },
    ...idOf(root),
  };
}

/** The sphere's formulas with coordinates of the ellipsoid, which the older text can only say by an extension. */
const PSEUDO_MERCATOR = { name: 'Popular Visualisation Pseudo Mercator', code: 1024, parameters: NATURAL };

function methodOf(root: WktNode) {
  const extension = root.nodes.find(({ word }) => word === 'EXTENSION')?.texts[1];
  if (extension) return extension.includes('+proj=merc +a=6378137 +b=6378137') ? PSEUDO_MERCATOR : null;
  return METHODS[root.nodes.find(({ word }) => word === 'PROJECTION')?.name ?? ''] ?? null;
}

function axes(first: [string, string, string], second: [string, string, string], unit: Json): Json {
  return [first, second].map(([name, abbreviation, direction]) => ({ name, abbreviation, direction, unit }));
}

function geographic(node: WktNode): { [key: string]: Json } {
  const datum = node.nodes.find(({ word }) => word === 'DATUM');
  const spheroid = datum?.nodes.find(({ word }) => word === 'SPHEROID');
  const meridian = node.nodes.find(({ word }) => word === 'PRIMEM');
  const [a, rf] = spheroid?.values ?? [];
  const ellipsoid = {
    name: spheroid?.name ?? 'unknown',
    semi_major_axis: a,
    ...(rf > 0 ? { inverse_flattening: rf } : { semi_minor_axis: a }),
  };
  return {
    type: 'GeographicCRS',
    name: node.name,
    datum: {
      type: 'GeodeticReferenceFrame',
      name: datum?.name ?? 'unknown',
      ellipsoid,
      ...(meridian && meridian.values[0] !== 0 ? { prime_meridian: { name: meridian.name, longitude: meridian.values[0] } } : {}),
    },
    coordinate_system: {
      subtype: 'ellipsoidal',
      axis: axes(['Geodetic longitude', 'Lon', 'east'], ['Geodetic latitude', 'Lat', 'north'], 'degree'),
    },
    ...idOf(node),
  };
}

function unitOf(node: WktNode): Json | null {
  const unit = node.nodes.find(({ word }) => word === 'UNIT');
  if (!unit) return null;
  return unit.values[0] === 1 ? 'metre' : { type: 'LinearUnit', name: unit.name, conversion_factor: unit.values[0] };
}

function idOf(node: WktNode): { id?: Json } {
  const authority = node.nodes.find(({ word }) => word === 'AUTHORITY');
  return authority ? { id: { authority: authority.name, code: Number(authority.texts[1]) } } : {};
}
