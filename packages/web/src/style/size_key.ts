/** A mark of the key to sizes: what number it stands for, and the radius of a point or the width of a line in CSS pixels. */
export interface SizeMark {
  value: number;
  size: number;
}

/**
 * Marks that tell what the size of a mark says: about the largest number, a quarter and a sixteenth of it, each a round number.
 * @param most the largest number @param largest radius of its mark in CSS pixels
 */
export function sizeKey(most: number, largest: number): SizeMark[] {
  if (!(most > 0)) return [];
  const values = [...new Set([1, 4, 16].map((part) => roundBelow(most / part)))];
  return values.map((value) => ({ value, size: largest * Math.sqrt(value / most) }));
}

/**
 * Lines that tell what the width of a line says: about the largest number, a third and a tenth of it, each a round number.
 * @param most the largest number @param widest width of its line in CSS pixels
 */
export function widthKey(most: number, widest: number): SizeMark[] {
  if (!(most > 0)) return [];
  const values = [...new Set([1, 3, 10].map((part) => roundBelow(most / part)))];
  return values.map((value) => ({ value, size: (widest * value) / most }));
}

/** The largest of 1, 2 and 5 times a power of ten that is not above a number. */
function roundBelow(number: number): number {
  const power = Math.floor(Math.log10(number) + 1e-12);
  const step = [5, 2, 1].find((one) => Number(`${one}e${power}`) <= number * (1 + 1e-12)) ?? 1;
  return Number(`${step}e${power}`);
}

/** Outline of a piece of a line, as an SVG path. @param width in units of the path */
export const piecePath = (width: number): string => {
  const half = Number((width / 2).toFixed(3));
  return `M-1,-${half}H1V${half}H-1Z`;
};

/** Outline of a disc, as an SVG path. @param radius in units of the path */
export const discPath = (radius: number): string => {
  const r = Number(radius.toFixed(3));
  return `M-${r},0A${r},${r} 0 1 1 ${r},0A${r},${r} 0 1 1 -${r},0Z`;
};
