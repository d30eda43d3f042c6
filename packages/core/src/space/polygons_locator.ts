import { INSIDE, ON_BOUNDARY, OUTSIDE, type Location, type PolygonLocator } from './polygon_locator.ts';

/** With fewer polygons each is asked. */
const FEW = 8;

/** Answers where a position lies relative to several polygons; of many, only those whose range of y holds it are asked. */
export class PolygonsLocator {
  #polygons: PolygonLocator[];
  /** Polygons by strips of y; empty when there are few. */
  #strips: PolygonLocator[][] = [];
  #minY = Infinity;
  #scale = 0;

  constructor(polygons: PolygonLocator[]) {
    this.#polygons = polygons;
    if (polygons.length <= FEW) return;
    const ranges = polygons.map(({ rangeY }) => rangeY);
    this.#minY = Math.min(...ranges.map(([low]) => low));
    const height = Math.max(...ranges.map(([, high]) => high)) - this.#minY;
    const count = Math.min(4096, 4 * polygons.length);
    this.#scale = height > 0 ? count / height : 0;
    this.#strips = Array.from({ length: count }, () => []);
    for (const [i, [low, high]] of ranges.entries())
      for (let strip = this.#stripOf(low); strip <= this.#stripOf(high); strip++) this.#strips[strip].push(polygons[i]);
  }

  #stripOf(y: number): number {
    return Math.max(0, Math.min(this.#strips.length - 1, Math.floor((y - this.#minY) * this.#scale)));
  }

  /** Inside when it is inside one of them; else on the boundary when it is on that of one. */
  locate(x: number, y: number): Location {
    const polygons = this.#strips.length > 0 ? this.#strips[this.#stripOf(y)] : this.#polygons;
    let place: Location = OUTSIDE;
    for (let i = 0; i < polygons.length; i++) {
      const here = polygons[i].locate(x, y);
      if (here === INSIDE) return INSIDE;
      if (here === ON_BOUNDARY) place = ON_BOUNDARY;
    }
    return place;
  }
}
