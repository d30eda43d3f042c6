import type { Geometry, Polygon, Position } from 'geojson';
import { geometryOfWkb } from '../formats/geometry/wkb.ts';
import { wkbOfGeometry } from '../formats/geometry/write_wkb.ts';
import type { EngineRelation, EngineTest } from '../operators/operator.ts';
import { asPolygons, evenOddCover } from './even_odd.ts';

/** The part of the raw binding that is used; pointers are numbers. */
interface Binding extends Record<`GEOSPrepared${EngineTest}`, (prepared: number, geometry: number) => number> {
  Module: { HEAPU8: Uint8Array; HEAPU32: Uint32Array; _malloc(bytes: number): number; _free(pointer: number): void };
  GEOSGeomFromWKB_buf(pointer: number, size: number): number;
  GEOSGeomToWKB_buf(geometry: number, size: number): number;
  GEOSGeom_destroy(geometry: number): void;
  GEOSisValidDetail(geometry: number, flags: number, reason: number, location: number): number;
  GEOSMakeValid(geometry: number): number;
  GEOSGeomGetX(geometry: number, x: number): number;
  GEOSGeomGetY(geometry: number, y: number): number;
  GEOSFree(pointer: number): void;
  GEOSPrepare(geometry: number): number;
  GEOSPreparedGeom_destroy(prepared: number): void;
  GEOSEquals(a: number, b: number): number;
  GEOSIntersection(a: number, b: number): number;
  GEOSDifference(a: number, b: number): number;
  GEOSUnaryUnion(geometry: number): number;
  GEOSPolygonize(geometries: number, count: number): number;
  GEOSBuffer(geometry: number, distance: number, quadrantSegments: number): number;
  GEOSPointOnSurface(geometry: number): number;
  GEOSTopologyPreserveSimplify(geometry: number, tolerance: number): number;
}

/** A geometry, as GeoJSON or as well-known binary. */
export type GeometryInput = Geometry | Uint8Array;

/** What is wrong with a shape, and where. */
export interface Invalidity {
  /** In the words of the engine: "Self-intersection", "Hole lies outside shell" … */
  reason: string;
  location: Position;
}

/** GEOS behind a typed face: geometries go in and out as well-known binary, and what is made inside is destroyed. */
export class Geos {
  #geos: Binding;

  private constructor(binding: Binding) {
    this.#geos = binding;
  }

  static async open(): Promise<Geos> {
    const { default: start } = (await import('geos-wasm')) as unknown as { default: () => Promise<Binding> };
    return new Geos(await start());
  }

  /** What makes a geometry invalid in the sense of OGC 06-103r4; null when nothing does. */
  invalidity(geometry: Geometry): Invalidity | null {
    return this.#with(geometry, (pointer) => {
      const { Module } = this.#geos;
      const out = Module._malloc(16);
      try {
        Module.HEAPU32.fill(0, out >> 2, (out >> 2) + 4);
        if (this.#geos.GEOSisValidDetail(pointer, 0, out, out + 4) === 1) return null;
        const [reasonAt, placeAt] = [Module.HEAPU32[out >> 2], Module.HEAPU32[(out + 4) >> 2]];
        const location: Position = placeAt === 0 ? [NaN, NaN] : this.#positionOf(placeAt, out + 8);
        if (placeAt !== 0) this.#geos.GEOSGeom_destroy(placeAt);
        const reason = reasonAt === 0 ? 'Invalid' : this.#textAt(reasonAt);
        if (reasonAt !== 0) this.#geos.GEOSFree(reasonAt);
        return { reason, location };
      } finally {
        Module._free(out);
      }
    });
  }

  /**
   * Hands out a test of geometries against one fixed geometry, which is prepared once.
   * @param fixedFirst whether the fixed geometry is the first of the two; it matters for contains and within
   */
  relating<T>(
    relation: EngineRelation,
    fixed: GeometryInput,
    fixedFirst: boolean,
    work: (test: (geometry: GeometryInput) => boolean) => T,
  ): T {
    return this.#with(fixed, (pointer) => {
      const prepared = this.#geos.GEOSPrepare(pointer);
      try {
        return work((geometry) =>
          this.#with(geometry, (other) => {
            const outcome = this.#relate(relation, pointer, prepared, other, fixedFirst);
            // Only 1 is true: 2 says that the engine could not decide.
            if (outcome === 2) throw new Error('The geometry engine cannot decide how two shapes lie to one another');
            return outcome === 1;
          }),
        );
      } finally {
        this.#geos.GEOSPreparedGeom_destroy(prepared);
      }
    });
  }

  #relate({ prepared: tests }: EngineRelation, fixed: number, prepared: number, other: number, fixedFirst: boolean): number {
    if (!tests) return this.#geos.GEOSEquals(fixed, other);
    return this.#geos[`GEOSPrepared${fixedFirst ? tests.first : tests.second}`](prepared, other);
  }

  /** Hands out a test of whether the fixed geometry, prepared once, covers another. */
  covering<T>(fixed: GeometryInput, work: (test: (geometry: GeometryInput) => boolean) => T): T {
    return this.#with(fixed, (pointer) => {
      const prepared = this.#geos.GEOSPrepare(pointer);
      try {
        return work((geometry) =>
          this.#with(geometry, (other) => {
            const outcome = this.#geos.GEOSPreparedCovers(prepared, other);
            if (outcome === 2) throw new Error('The geometry engine cannot tell whether a shape covers another');
            return outcome === 1;
          }),
        );
      } finally {
        this.#geos.GEOSPreparedGeom_destroy(prepared);
      }
    });
  }

  /** What two geometries have in common; where either is invalid, of their repaired forms. */
  intersection(a: GeometryInput, b: GeometryInput): Geometry {
    return this.#with(a, (first) =>
      this.#with(b, (second) => {
        const made =
          this.#tried(() => this.#geos.GEOSIntersection(first, second)) ||
          this.#ofValid([first, second], ([x, y]) => this.#geos.GEOSIntersection(x, y));
        return this.#taken(made, 'The shapes cannot be cut');
      }),
    );
  }

  /** What the first geometry has that the second has not; where either is invalid, of their repaired forms. */
  difference(a: GeometryInput, b: GeometryInput): Geometry {
    return this.#with(a, (first) =>
      this.#with(b, (second) => {
        const made =
          this.#tried(() => this.#geos.GEOSDifference(first, second)) ||
          this.#ofValid([first, second], ([x, y]) => this.#geos.GEOSDifference(x, y));
        return this.#taken(made, 'The shapes cannot be cut');
      }),
    );
  }

  /** One geometry that covers what any of several cover. */
  union(geometries: readonly Geometry[]): Geometry {
    return this.#with({ type: 'GeometryCollection', geometries: [...geometries] }, (pointer) => {
      const made = this.#tried(() => this.#geos.GEOSUnaryUnion(pointer)) || this.#ofValid([pointer], ([x]) => this.#geos.GEOSUnaryUnion(x));
      return this.#taken(made, 'The shapes cannot be joined');
    });
  }

  /** Everything within a distance, in the plane of the coordinates, round corners as arcs of so many segments a quarter. */
  buffer(geometry: GeometryInput, distance: number, quadrantSegments: number): Geometry {
    return this.#with(geometry, (pointer) =>
      this.#taken(this.#geos.GEOSBuffer(pointer, distance, quadrantSegments), 'The shape cannot be widened'),
    );
  }

  /** A point that lies on the shape: in the interior of a polygon, on a line, one of several points. */
  pointOnSurface(geometry: GeometryInput): Geometry {
    return this.#with(geometry, (pointer) => this.#taken(this.#geos.GEOSPointOnSurface(pointer), 'The shape has no point inside'));
  }

  /** The shape with fewer of its vertices, none left out farther away than the tolerance; rings stay rings and do not cross. */
  simplified(geometry: GeometryInput, tolerance: number): Geometry {
    return this.#with(geometry, (pointer) =>
      this.#taken(this.#geos.GEOSTopologyPreserveSimplify(pointer, tolerance), 'The shape cannot be simplified'),
    );
  }

  /** What comes of an overlay; 0 where the engine says that a shape is in its way, which is then repaired. */
  #tried(work: () => number): number {
    try {
      return work();
    } catch (error) {
      if (/TopologyException/.test(String(error))) return 0;
      throw error;
    }
  }

  #ofValid([first, ...others]: number[], work: (valid: number[]) => number): number {
    return this.#with(this.madeValid(this.#geometryAt(first)), (valid) =>
      others.length === 0 ? work([valid]) : this.#ofValid(others, (rest) => work([valid, ...rest])),
    );
  }

  /** The geometry behind a pointer, which is given back. */
  #taken(pointer: number, problem: string): Geometry {
    if (pointer === 0) throw new Error(problem);
    try {
      return this.#geometryAt(pointer);
    } finally {
      this.#geos.GEOSGeom_destroy(pointer);
    }
  }

  /** Lines cut wherever they meet, and the faces into which they divide the plane. */
  divided(lines: Geometry): { lines: Geometry; faces: Polygon[] } {
    return this.#with(lines, (pointer) => {
      const noded = this.#geos.GEOSUnaryUnion(pointer);
      if (noded === 0) throw new Error('The lines cannot be joined');
      const { Module } = this.#geos;
      const list = Module._malloc(4);
      try {
        Module.HEAPU32[list >> 2] = noded;
        const faces = this.#taken(this.#geos.GEOSPolygonize(list, 1), 'The lines cannot be taken for edges');
        return { lines: this.#geometryAt(noded), faces: polygonsIn(faces) };
      } finally {
        Module._free(list);
        this.#geos.GEOSGeom_destroy(noded);
      }
    });
  }

  /**
   * A valid geometry (OGC 06-103r4, 6.1.11) that covers the same: of a polygon what lies in an odd number of its rings, of
   * several polygons what any of them covers. A polygon can become several, or lines where it has no area.
   */
  madeValid(geometry: Geometry): Geometry {
    switch (geometry.type) {
      case 'Polygon':
        return evenOddCover(geometry.coordinates, this);
      case 'MultiPolygon':
        return this.union(asPolygons(geometry.coordinates).map((polygon) => this.#valid(polygon)));
      case 'GeometryCollection':
        return { ...geometry, geometries: geometry.geometries.map((member) => this.#valid(member)) };
      default:
        return this.#with(geometry, (pointer) => this.#taken(this.#geos.GEOSMakeValid(pointer), 'The shape cannot be repaired'));
    }
  }

  #valid(geometry: Geometry): Geometry {
    return this.invalidity(geometry) ? this.madeValid(geometry) : geometry;
  }

  #with<T>(geometry: GeometryInput, work: (pointer: number) => T): T {
    const bytes = geometry instanceof Uint8Array ? geometry : wkbOfGeometry(geometry);
    const { Module } = this.#geos;
    const at = Module._malloc(bytes.length);
    // The heap is read again after each call: it can move when it grows.
    Module.HEAPU8.set(bytes, at);
    const pointer = this.#geos.GEOSGeomFromWKB_buf(at, bytes.length);
    Module._free(at);
    if (pointer === 0) throw new Error('The shape cannot be read by the geometry engine');
    try {
      return work(pointer);
    } finally {
      this.#geos.GEOSGeom_destroy(pointer);
    }
  }

  #geometryAt(pointer: number): Geometry {
    const { Module } = this.#geos;
    const size = Module._malloc(4);
    const at = this.#geos.GEOSGeomToWKB_buf(pointer, size);
    const length = Module.HEAPU32[size >> 2];
    const bytes = Module.HEAPU8.slice(at, at + length);
    Module._free(size);
    this.#geos.GEOSFree(at);
    return geometryOfWkb(bytes);
  }

  #positionOf(point: number, scratch: number): Position {
    const read = () => new DataView(this.#geos.Module.HEAPU8.buffer).getFloat64(scratch, true);
    this.#geos.GEOSGeomGetX(point, scratch);
    const x = read();
    this.#geos.GEOSGeomGetY(point, scratch);
    return [x, read()];
  }

  #textAt(pointer: number): string {
    const heap = this.#geos.Module.HEAPU8;
    return new TextDecoder().decode(heap.slice(pointer, heap.indexOf(0, pointer)));
  }
}

function polygonsIn(geometry: Geometry): Polygon[] {
  if (geometry.type === 'GeometryCollection') return geometry.geometries.flatMap(polygonsIn);
  return geometry.type === 'Polygon' ? [geometry] : geometry.type === 'MultiPolygon' ? asPolygons(geometry.coordinates) : [];
}
