import type { Geometry, Position } from 'geojson';
import type { Random } from './random.ts';

/** Corners of a coarse grid of degrees, so that shapes often touch, share edges and lie on one another. */
const corner = (random: Random, [x, y]: Position, size: number): Position => [x + random.whole(0, size), y + random.whole(0, size)]; // prettier-ignore

function box(random: Random, at: Position): Position[] {
  const [x, y] = corner(random, at, 6);
  const [w, h] = [random.whole(1, 4), random.whole(1, 4)];
  return [[x, y], [x + w, y], [x + w, y + h], [x, y + h], [x, y]]; // prettier-ignore
}

function triangle(random: Random, at: Position): Position[] {
  const [x, y] = corner(random, at, 6);
  const [a, b, c] = [random.whole(1, 4), random.whole(1, 4), random.whole(0, 2)];
  return [[x, y], [x + a, y + c], [x + random.whole(0, 1), y + c + b], [x, y]]; // prettier-ignore
}

type Make = (random: Random) => Geometry;

const point =
  (at: Position): Make =>
  (random) => ({ type: 'Point', coordinates: corner(random, at, 8) });
const MAKES: ((at: Position) => Make)[] = [
  point,
  (at) => (random) => ({ type: 'MultiPoint', coordinates: random.many(1, 3, () => corner(random, at, 8)) }),
  (at) => (random) => {
    const from = corner(random, at, 8);
    return { type: 'LineString', coordinates: [from, ...random.many(1, 3, () => moved(random, from))] };
  },
  (at) => (random) => ({ type: 'Polygon', coordinates: [box(random, at)] }),
  (at) => (random) => ({ type: 'Polygon', coordinates: [triangle(random, at)] }),
  (at) => (random) => {
    const [x, y] = corner(random, at, 3);
    const hole: Position[] = [[x + 1, y + 1], [x + 1, y + 3], [x + 3, y + 3], [x + 3, y + 1], [x + 1, y + 1]]; // prettier-ignore
    return { type: 'Polygon', coordinates: [[[x, y], [x + 4, y], [x + 4, y + 4], [x, y + 4], [x, y]], hole] }; // prettier-ignore
  },
  (at) => (random) => {
    // Two squares that touch at a corner, or lie apart.
    const [x, y] = corner(random, at, 4);
    const size = random.whole(1, 3);
    const square = (w: number, s: number): Position[][] => [[[w, s], [w + size, s], [w + size, s + size], [w, s + size], [w, s]]]; // prettier-ignore
    return { type: 'MultiPolygon', coordinates: [square(x, y), square(x + size + random.whole(0, 1), y + size)] };
  },
  (at) => (random) => {
    // A square with another part, or a hole, that touches it in the middle of an edge.
    const [x, y] = corner(random, at, 4);
    const shell: Position[] = [[x, y], [x + 4, y], [x + 4, y + 4], [x, y + 4], [x, y]]; // prettier-ignore
    const beside: Position[] = [[x + 4, y + 2], [x + 6, y + 1], [x + 6, y + 3], [x + 4, y + 2]]; // prettier-ignore
    const hole: Position[] = [[x + 4, y + 2], [x + 2, y + 3], [x + 2, y + 1], [x + 4, y + 2]]; // prettier-ignore
    return random.chance(0.5)
      ? { type: 'MultiPolygon', coordinates: [[shell], [beside]] }
      : { type: 'Polygon', coordinates: [shell, hole] };
  },
];

/** Never the same position twice in a row. */
function moved(random: Random, [x, y]: Position): Position {
  const by = random.whole(1, 4);
  return random.pick([[x + by, y], [x, y + by], [x + by, y + by]]); // prettier-ignore
}

/** Where the shapes of a table lie: amid the world, at the 180th meridian and near the poles. */
const PLACES: Position[] = [[0, 40], [-4, -4], [168, 10], [-180, -30], [20, 78], [100, -90]]; // prettier-ignore

/** Makes shapes of one kind or of any, in one place. */
export function anyShape(random: Random): Make {
  const at = random.pick(PLACES);
  if (random.chance(0.3)) return point(at);
  const makes = MAKES.map((make) => make(at));
  return (inner) => inner.pick(makes)(inner);
}
