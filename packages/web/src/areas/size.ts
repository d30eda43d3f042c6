import { measureOfGeometry, numberInWords, type AreaShape } from '@clean-sieve/core';
import { measured } from '../words/numbers.ts';

/** How large an area is, in words: hectares or square kilometres, the length of a line, the reach of a circle or strip. */
export function sizeInWords(shape: AreaShape): string {
  let words = known.get(shape);
  if (words === undefined) known.set(shape, (words = measuredSize(shape)));
  return words;
}

/** Sizes by shape: a detailed one takes a moment to measure, and the list is drawn often. */
const known = new WeakMap<AreaShape, string>();

function measuredSize(shape: AreaShape): string {
  if ('op' in shape) {
    const [middle, distance, unit = 'm'] = shape.args;
    return middle.type === 'Point' ? `radius ${numberInWords(distance)} ${unit}` : `${numberInWords(distance)} ${unit} either side`; // prettier-ignore
  }
  const { area, length } = measureOfGeometry(shape);
  if (area > 0) return area >= 1e7 ? `${measured(area / 1e6)} km²` : area >= 1000 ? `${measured(area / 1e4)} ha` : `${measured(area)} m²`; // prettier-ignore
  return length > 0 ? (length >= 10_000 ? `${measured(length / 1000)} km` : `${measured(length)} m`) : 'points';
}
