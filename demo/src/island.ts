import type { Position } from 'geojson';
import type { Random } from './random.ts';

/** Middle of Vell Island, a place with nothing but ocean. */
export const CENTRE: Position = [-12.1, 46.6];
const METRES_A_DEGREE = 111_170;

/** Longitude and latitude of a place given in metres east and north of the island's middle, to a centimetre or so. */
export function lonLat(x: number, y: number): Position {
  const lat = CENTRE[1] + y / METRES_A_DEGREE;
  const lon = CENTRE[0] + x / (METRES_A_DEGREE * Math.cos((CENTRE[1] * Math.PI) / 180));
  return [round(lon, 7), round(lat, 7)];
}

export function round(value: number, digits: number): number {
  const factor = 10 ** digits;
  return Math.round(value * factor) / factor;
}

/** A smooth closed curve in polar form: a sum of waves around the circle, rougher the more of them. */
export class Wave {
  #terms: { n: number; amplitude: number; phase: number }[] = [];

  constructor(random: Random, waves: number, roughness: number) {
    for (let n = 2; n <= waves; n++) {
      this.#terms.push({
        n,
        amplitude: random.normal() * roughness * n ** -1.15,
        phase: random.between(0, 2 * Math.PI),
      });
    }
  }

  at(angle: number): number {
    return this.#terms.reduce((sum, { n, amplitude, phase }) => sum + amplitude * Math.sin(n * angle + phase), 0);
  }
}

/** The coast: about 18 by 11 km. Radius in metres by angle. */
export class Coast {
  #wave: Wave;

  constructor(random: Random) {
    this.#wave = new Wave(random, 160, 0.11);
  }

  radius(angle: number): number {
    const [a, b] = [8600, 5100];
    const ellipse = (a * b) / Math.hypot(b * Math.cos(angle), a * Math.sin(angle));
    return ellipse * (1 + this.#wave.at(angle));
  }

  /** Whether a place in metres is on land, at least `margin` metres (along the ray) from the sea. */
  isLand(x: number, y: number, margin = 0): boolean {
    return Math.hypot(x, y) < this.radius(Math.atan2(y, x)) - margin;
  }

  /** Closed ring with so many corners, scaled by a factor that may depend on the angle. */
  ring(corners: number, scale: (angle: number) => number = () => 1): Position[] {
    const ring: Position[] = [];
    for (let i = 0; i < corners; i++) {
      const angle = (2 * Math.PI * i) / corners;
      const r = this.radius(angle) * scale(angle);
      ring.push(lonLat(r * Math.cos(angle), r * Math.sin(angle)));
    }
    ring.push(ring[0]);
    return ring;
  }
}
