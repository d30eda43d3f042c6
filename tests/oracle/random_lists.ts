import { Random as Seeded } from '../../demo/src/random.ts';

/** The seeded numbers of the demo, with lists of them: the same seed gives the same tables and questions. */
export class Random extends Seeded {
  many<T>(least: number, most: number, make: () => T): T[] {
    return Array.from({ length: this.whole(least, most) }, make);
  }
}
