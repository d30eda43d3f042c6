import { rgb } from 'd3';
import { colourOf, PALETTE } from './palette.ts';

/** Relative luminance and contrast ratio as WCAG 2.2 defines them. */
function luminance(colour: string): number {
  const { r, g, b } = rgb(colour);
  const [x, y, z] = [r, g, b].map((part) => (part / 255 <= 0.04045 ? part / 255 / 12.92 : ((part / 255 + 0.055) / 1.055) ** 2.4));
  return 0.2126 * x + 0.7152 * y + 0.0722 * z;
}
function contrast(a: string, b: string): number {
  const [light, dark] = [luminance(a), luminance(b)].sort((p, q) => q - p);
  return (light + 0.05) / (dark + 0.05);
}

/** Grounds that marks stand on: the land of the map, and the surface of lists. */
const GROUNDS = { light: ['#f2ecdc', '#fffdf7', '#f4f0e6'], dark: ['#2a3029', '#1d2622', '#161d1a'] };

test.each(PALETTE.map(({ name }, i) => [name, i]))('%s stands out from every ground by 3 to 1 (WCAG 2.2, 1.4.11)', (_, i) => {
  for (const ground of GROUNDS.light) expect(contrast(colourOf(i, false), ground)).toBeGreaterThan(3);
  for (const ground of GROUNDS.dark) expect(contrast(colourOf(i, true), ground)).toBeGreaterThan(3);
});

test('each colour and each shape is there once', () => {
  for (const field of ['colour', 'onDark', 'shape', 'name'] as const)
    expect(new Set(PALETTE.map((entry) => entry[field])).size).toBe(PALETTE.length);
});
