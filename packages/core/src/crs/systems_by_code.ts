import { FilterError, type Span } from '../filters/filter_error.ts';
import type { Crs } from './crs.ts';

let lookUp: ((code: string) => Crs) | null = null;

/** Says what tells systems by their codes: the list of them is data, which the core does not hold. */
export function provideSystems(by: (code: string) => Crs): void {
  lookUp = by;
}

/** Whether codes can be told here; where they cannot, as in the browser, only how they are written is. */
export const tellsSystems = (): boolean => lookUp !== null;

/** The system of a code, as in EPSG:2056. Throws a FilterError where there is none, or none that can be converted. */
export function systemByCode(code: string, span: Span | null = null): Crs {
  if (!lookUp) throw new Error('Coordinate systems cannot be told by their codes here');
  try {
    return lookUp(code);
  } catch (error) {
    throw new FilterError((error as Error).message, span);
  }
}
