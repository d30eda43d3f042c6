import type { Geometry, Position } from 'geojson';
import type { Random } from './random_lists.ts';

/** Where the shapes of a table lie, and how far apart the lines of the coarse grid are that their corners lie on. */
export interface Place {
  /** Code of a projected system, null for longitude and latitude. */
  system: string | null;
  at: Position;
  step: number;
  /** How large things are there, beside those in degrees. */
  scale: number;
  /** Longitudes go on beyond 180°: shapes are asked about as they lie there, and cut in two in files. */
  strip: boolean;
}

const degrees = (at: Position): Place => ({ system: null, at, step: 1, scale: 1, strip: false });
/** Amid the world, at the 180th meridian and near the poles; in planes, one with axes to south and west, one in feet, one round a pole. */
const PLACES: Place[] = [
  ...[
    [0, 40],
    [-4, -4],
    [168, 10],
    [-180, -30],
    [20, 78],
    [100, -90],
  ].map(degrees),
  { system: 'EPSG:25832', at: [400_000, 5_300_000], step: 20_000, scale: 1, strip: false },
  { system: 'EPSG:2193', at: [1_400_000, 5_000_000], step: 20_000, scale: 1, strip: false },
  { system: 'EPSG:2048', at: [-60_000, 3_000_000], step: 10_000, scale: 1, strip: false },
  { system: 'EPSG:2263', at: [900_000, 0], step: 60_000, scale: 1, strip: false },
  { system: null, at: [175, -4], step: 1, scale: 1, strip: true },
  // Near the pole an edge becomes many: a small place is enough.
  { system: 'EPSG:3995', at: [-4000, -5000], step: 1000, scale: 0.05, strip: false },
];

/** Corners lie on a coarse grid, so that shapes often touch, share edges and lie on one another. */
export class Shapes {
  readonly #place: Place;

  constructor(place: Place) {
    this.#place = place;
  }

  #on([x, y]: Position): Position {
    const { at, step } = this.#place;
    return [at[0] + x * step, at[1] + y * step];
  }

  #ring(...corners: Position[]): Position[] {
    return [...corners, corners[0]].map((corner) => this.#on(corner));
  }

  #square(x: number, y: number, size: number): Position[] {
    return this.#ring([x, y], [x + size, y], [x + size, y + size], [x, y + size]);
  }

  /** Makers of valid shapes, one a kind. */
  readonly makes: ((random: Random) => Geometry)[] = [
    (random) => ({ type: 'Point', coordinates: this.#on(corner(random, 8)) }),
    (random) => ({ type: 'MultiPoint', coordinates: random.many(1, 3, () => this.#on(corner(random, 8))) }),
    (random) => {
      const from = corner(random, 8);
      return { type: 'LineString', coordinates: [from, ...random.many(1, 3, () => moved(random, from))].map((c) => this.#on(c)) };
    },
    (random) => {
      const [[x, y], w, h] = [corner(random, 6), random.whole(1, 4), random.whole(1, 4)];
      return { type: 'Polygon', coordinates: [this.#ring([x, y], [x + w, y], [x + w, y + h], [x, y + h])] };
    },
    (random) => {
      const [[x, y], a, b, c] = [corner(random, 6), random.whole(1, 4), random.whole(1, 4), random.whole(0, 2)];
      return { type: 'Polygon', coordinates: [this.#ring([x, y], [x + a, y + c], [x + random.whole(0, 1), y + c + b])] };
    },
    (random) => {
      const [x, y] = corner(random, 3);
      return { type: 'Polygon', coordinates: [this.#square(x, y, 4), this.#square(x + 1, y + 1, 2).toReversed()] };
    },
    (random) => {
      // Two squares that touch at a corner, or lie apart.
      const [[x, y], size] = [corner(random, 4), random.whole(1, 3)];
      const second = this.#square(x + size + random.whole(0, 1), y + size, size);
      return { type: 'MultiPolygon', coordinates: [[this.#square(x, y, size)], [second]] };
    },
    (random) => {
      // A square with another part, or a hole, that touches it in the middle of an edge.
      const [x, y] = corner(random, 4);
      const shell = this.#square(x, y, 4);
      const beside = this.#ring([x + 4, y + 2], [x + 6, y + 1], [x + 6, y + 3]);
      const hole = this.#ring([x + 4, y + 2], [x + 2, y + 3], [x + 2, y + 1]);
      return random.chance(0.5)
        ? { type: 'MultiPolygon', coordinates: [[shell], [beside]] }
        : { type: 'Polygon', coordinates: [shell, hole] };
    },
  ];

  /** Makers of shapes that break OGC 06-103r4, 6.1.11, or have no position at all. */
  readonly broken: ((random: Random) => Geometry)[] = [
    (random) => {
      // The ring crosses itself.
      const [[x, y], size] = [corner(random, 6), random.whole(1, 2) * 2];
      return { type: 'Polygon', coordinates: [this.#ring([x, y], [x + size, y + size], [x + size, y], [x, y + size])] };
    },
    (random) => {
      // Parts that cover the same.
      const [x, y] = corner(random, 5);
      return { type: 'MultiPolygon', coordinates: [[this.#square(x, y, 3)], [this.#square(x + 1, y + 1, 3)]] };
    },
    (random) => {
      // A hole that reaches out of its shell.
      const [x, y] = corner(random, 5);
      return { type: 'Polygon', coordinates: [this.#square(x, y, 3), this.#square(x + 2, y + 1, 2).toReversed()] };
    },
    () => ({ type: 'Polygon', coordinates: [] }),
    () => ({ type: 'MultiLineString', coordinates: [] }),
  ];
}

const corner = (random: Random, size: number): Position => [random.whole(0, size), random.whole(0, size)];

/** Never the same position twice in a row. */
function moved(random: Random, [x, y]: Position): Position {
  const by = random.whole(1, 4);
  return random.pick([
    [x + by, y],
    [x, y + by],
    [x + by, y + by],
  ]);
}

/** Makes shapes of one kind or of any, in one place, some broken. */
export function anyShape(random: Random): { place: Place; make: (random: Random) => Geometry } {
  let place = random.pick(PLACES);
  // Distances between edges beside a pole take long.
  if (place.scale < 1 && random.chance(0.7)) place = PLACES[0];
  const { makes, broken } = new Shapes(place);
  if (random.chance(0.3)) return { place, make: makes[0] };
  const some = !place.strip && random.chance(0.4) ? [...makes, ...makes, ...broken] : makes;
  return { place, make: (inner) => inner.pick(some)(inner) };
}
