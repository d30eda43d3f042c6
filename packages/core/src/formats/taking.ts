import type { Geometry, Position } from 'geojson';
import type { CrsClue } from '../crs/crs.ts';
import { TableBuilder } from '../features/table_builder.ts';
import { LONGEST_REPORT, type ReadOptions, type ReadResult, type Remark } from './format.ts';

/** Attributes by name, whatever the names are: with a prototype, some of them would be lost. */
export function emptyProperties(): Record<string, unknown> {
  return Object.create(null) as Record<string, unknown>;
}

/** Features on their way in: what every reader does with them, whatever the format. */
export class Taking {
  readonly builder = new TableBuilder();
  readonly notes: string[] = [];
  #remarks: Remark[] = [];
  #counts = new Map<string, { kind: Remark['kind']; count: number; first: string }>();
  #options: ReadOptions;
  #outside: string | null = null;

  constructor(options: ReadOptions) {
    this.#options = options;
  }

  /** Whether as many features are there as were asked for. */
  get full(): boolean {
    return this.builder.rows >= (this.#options.most ?? Infinity);
  }

  /**
   * @param where how a remark names the feature
   * @param id identifier that the format keeps outside the attributes
   */
  feature(geometry: Geometry | null, properties: Record<string, unknown> | null, where: string, id?: string | number): void {
    this.builder.addFeature(this.checked(geometry, where), properties, id);
    if ((this.builder.rows & 1023) === 0) this.#options.progress?.(this.builder.rows, 0);
  }

  /** The geometry with open rings closed; null when it cannot be used. */
  checked(geometry: Geometry | null, where: string): Geometry | null {
    if (!geometry) return null;
    if (geometry.type === 'GeometryCollection') {
      const members = geometry.geometries.map((member) => this.checked(member, where));
      return { ...geometry, geometries: members.filter((member) => member !== null) };
    }
    if (geometry.type === 'Point' && geometry.coordinates.length === 0) return geometry;
    if (!this.#finite(geometry.coordinates, where)) {
      this.remark('refused', where, 'a coordinate is not a finite number; taken without geometry');
      return null;
    }
    if (geometry.type === 'Polygon') this.#close(geometry.coordinates, where);
    if (geometry.type === 'MultiPolygon') for (const rings of geometry.coordinates) this.#close(rings, where);
    if (geometry.type === 'LineString' && geometry.coordinates.length === 1)
      this.remark('repaired', where, 'a line has a single position; it counts as that position');
    return geometry;
  }

  #finite(coordinates: unknown, where: string): boolean {
    const list = coordinates as unknown[];
    if (list.length === 0 || typeof list[0] !== 'number') return list.every((item) => this.#finite(item, where));
    const [x, y] = list as number[];
    // What is no number is refused by itself and says nothing about the system of the others.
    if (!Number.isFinite(x) || !Number.isFinite(y)) return false;
    if (this.#outside === null && !(Math.abs(x) <= 180 && Math.abs(y) <= 90)) this.#outside = outsideMessage(x, y, where);
    return true;
  }

  #close(rings: Position[][], where: string): void {
    for (const ring of rings) {
      if (ring.length === 0) continue;
      const [first, last] = [ring[0], ring[ring.length - 1]];
      if (first[0] === last[0] && first[1] === last[1]) continue;
      ring.push(first.slice());
      this.remark('repaired', where, 'a polygon ring did not end where it begins; it was closed');
    }
  }

  remark(kind: Remark['kind'], where: string, reason: string): void {
    if (this.#remarks.length < LONGEST_REPORT) this.#remarks.push({ kind, where, reason });
    const known = this.#counts.get(reason);
    if (known) known.count++;
    else this.#counts.set(reason, { kind, count: 1, first: where });
  }

  result(crs: CrsClue, encoding?: string): ReadResult {
    const counted = [...this.#counts].map(
      ([reason, { count, first }]) =>
        `${count} ${count === 1 ? 'time' : 'times'}: ${reason} (first: ${first[0].toLowerCase()}${first.slice(1)}).`,
    );
    const beyond = this.builder.beyond.map(
      (name) => `${name} has whole numbers of more than 15 digits that would be rounded as numbers; the column is kept as text.`,
    );
    return {
      table: this.builder.finish(),
      crs,
      notes: [...this.notes, ...beyond, ...counted],
      remarks: this.#remarks,
      ...(encoding === undefined ? {} : { encoding }),
      ...(this.#outside === null ? {} : { implausible: this.#outside }),
    };
  }
}

function outsideMessage(x: number, y: number, where: string): string {
  const swapped = Math.abs(y) <= 180 && Math.abs(x) <= 90;
  return `${where}: ${x}, ${y} is outside longitude −180…180 and latitude −90…90. ${
    swapped ? 'The two seem to be swapped: longitude comes first' : 'Projected coordinates need their coordinate system named'
  }`;
}
