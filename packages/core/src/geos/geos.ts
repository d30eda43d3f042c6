import type { Geometry, Position } from 'geojson';
import { geometryOfWkb } from '../formats/geometry/wkb.ts';
import { wkbOfGeometry } from '../formats/geometry/write_wkb.ts';

/** The part of the raw binding that is used; pointers are numbers. */
interface Binding {
  Module: { HEAPU8: Uint8Array; HEAPU32: Uint32Array; _malloc(bytes: number): number; _free(pointer: number): void };
  GEOSGeomFromWKB_buf(pointer: number, size: number): number;
  GEOSGeomToWKB_buf(geometry: number, size: number): number;
  GEOSGeom_destroy(geometry: number): void;
  GEOSisValidDetail(geometry: number, flags: number, reason: number, location: number): number;
  GEOSMakeValid(geometry: number): number;
  GEOSGeomGetX(geometry: number, x: number): number;
  GEOSGeomGetY(geometry: number, y: number): number;
  GEOSFree(pointer: number): void;
}

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

  /** A valid geometry that covers the same ground; a polygon can become several, or lines where it has no area. */
  madeValid(geometry: Geometry): Geometry {
    return this.#with(geometry, (pointer) => {
      const made = this.#geos.GEOSMakeValid(pointer);
      if (made === 0) throw new Error('The shape cannot be repaired');
      try {
        return this.#geometryAt(made);
      } finally {
        this.#geos.GEOSGeom_destroy(made);
      }
    });
  }

  #with<T>(geometry: Geometry, work: (pointer: number) => T): T {
    const bytes = wkbOfGeometry(geometry);
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
