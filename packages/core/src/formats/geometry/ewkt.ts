import type { Geometry } from 'geojson';
import { FilterError } from '../../filters/filter_error.ts';
import { parseGeometry } from '../../filters/parser.ts';
import { ReadError } from '../read_error.ts';
import type { Taking } from '../taking.ts';

/** Shapes as well-known text (OGC 06-103r4, clause 7), with or without a system before them: "SRID=25832;POINT(…)". */
export class EwktShapes {
  readonly #taking: Taking;
  /** The EPSG code that the first shape with one names; null for none. */
  system: number | null = null;

  constructor(taking: Taking) {
    this.#taking = taking;
  }

  /**
   * Null for an empty shape, and for what cannot be read, with a remark.
   * @throws ReadError where the system is another than before
   */
  shapeOf(said: string, where: string): Geometry | null {
    const [, srid, text] = /^\s*(?:SRID=(\d+);)?\s*([\s\S]*?)\s*$/i.exec(said)!;
    if (srid !== undefined) {
      if (this.system !== null && this.system !== Number(srid))
        throw new ReadError(
          `${where} is in EPSG:${srid}, the rows before it in EPSG:${this.system}`,
          'Split the table, so that each has one coordinate system',
        );
      this.system = Number(srid);
    }
    if (text === '') {
      this.#taking.remark('refused', where, 'the row has no coordinates; taken without geometry');
      return null;
    }
    if (/^\w+(\s+Z?M?)?\s+EMPTY$/i.test(text)) return null;
    try {
      return parseGeometry(text);
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      this.#taking.remark('refused', where, `the geometry cannot be read (${error.message}); taken without geometry`);
      return null;
    }
  }
}
