import { measureOfGeometry, numberInWords, Shape, type AreaShape } from '@clean-sieve/core';
import { measured } from '../words/numbers.ts';

/** How large an area is, in words: hectares or square kilometres, the length of a line, the reach of a circle or strip. */
export function sizeInWords(shape: AreaShape): string {
  let words = known.get(shape);
  if (words === undefined) known.set(shape, (words = measuredSize(shape)));
  return words;
}

/** Where a shape lies, in words: its middle, latitude first. */
export function placeInWords(shape: AreaShape): string {
  const [west, south, east, north] = new Shape('op' in shape ? shape.args[0] : shape).box;
  const [lat, lon] = [(south + north) / 2, (west + east) / 2];
  const degrees = (value: number, [plus, minus]: string) => `${Math.abs(value).toFixed(4)}° ${value < 0 ? minus : plus}`;
  return `about ${degrees(lat, 'NS')} ${degrees(lon, 'EW')}`;
}

/** Sizes by shape: a detailed one takes a moment to measure, and the list is drawn often. */
const known = new WeakMap<AreaShape, string>();

function measuredSize(shape: AreaShape): string {
  if ('op' in shape) {
    const [middle, distance, unit = 'm'] = shape.args;
    return middle.type === 'Point' ? `radius ${numberInWords(distance)} ${unit}` : `${numberInWords(distance)} ${unit} either side`;
  }
  const { area, length } = measureOfGeometry(shape);
  if (area > 0) return area >= 1e7 ? `${measured(area / 1e6)} km²` : area >= 1000 ? `${measured(area / 1e4)} ha` : `${measured(area)} m²`;
  return length > 0 ? (length >= 10_000 ? `${measured(length / 1000)} km` : `${measured(length)} m`) : 'points';
}
