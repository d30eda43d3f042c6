import type { Ramp } from '@clean-sieve/core';
import { interpolateLab, piecewise } from 'd3';

/** Colours from the lowest class to the highest: lightness only ever rises or falls, so that no order rests on hue alone. */
const LIGHT: Record<Ramp, string[]> = {
  moss: ['#c3d59a', '#6f9a5d', '#173f2f'],
  ember: ['#f4c690', '#d4683a', '#6b1520'],
  tide: ['#abd4de', '#4a8fb0', '#0f3557'],
  plum: ['#e0bcda', '#a25a98', '#420f48'],
  'tide and ember': ['#0f3557', '#4a8fb0', '#d9cfae', '#d4683a', '#6b1520'],
  'plum and moss': ['#420f48', '#a25a98', '#d9cfae', '#6f9a5d', '#173f2f'],
};
const DARK: Record<Ramp, string[]> = {
  moss: ['#46604a', '#86b271', '#eef7cf'],
  ember: ['#7d3d2c', '#dd7f47', '#ffe6bf'],
  tide: ['#2f5c74', '#63abc9', '#e0f6fb'],
  plum: ['#6e3f6c', '#c07bb7', '#fbe6f7'],
  'tide and ember': ['#bfeaf7', '#63abc9', '#59605a', '#dd7f47', '#ffe0b5'],
  'plum and moss': ['#f7d5f1', '#c07bb7', '#59605a', '#86b271', '#e6f5c4'],
};

/**
 * Colours of so many classes.
 * @param middle of a two-way ramp, the number of the bound from which the colours part; null: halfway
 */
export function rampColours(ramp: Ramp, classes: number, middle: number | null, dark: boolean): string[] {
  const along = piecewise(interpolateLab, (dark ? DARK : LIGHT)[ramp]);
  const places = Array.from({ length: classes }, (_, i) => (classes === 1 ? 0.5 : i / (classes - 1)));
  if (!ramp.includes(' and ')) return places.map((at) => hex(along(at)));
  // So many classes lie below the middle and so many above: the farther from it, the stronger, on both sides alike.
  const below = middle === null ? Math.floor(classes / 2) : middle + 1;
  const above = middle === null && classes % 2 === 1 ? below + 1 : below;
  const most = Math.max(below, classes - above);
  return places.map((_, i) => {
    if (i >= below && i < above) return hex(along(0.5));
    const away = i < below ? -(below - i) : i - above + 1;
    return hex(along(0.5 + away / (2 * most)));
  });
}

function hex(rgb: string): string {
  const parts = rgb.match(/\d+(\.\d+)?/g)!.slice(0, 3);
  return `#${parts.map((part) => Math.round(Number(part)).toString(16).padStart(2, '0')).join('')}`;
}
