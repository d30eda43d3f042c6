import { RAMPS, TWO_WAY_RAMPS } from '@clean-sieve/core';
import { hcl, lab, rgb } from 'd3';
import { markOf } from './first_style.ts';
import { rampColours } from './ramps.ts';

/**
 * What is seen with one kind of cone missing: matrices for severity 1.0 of Machado, Oliveira and Fernandes, IEEE Transactions on
 * Visualization and Computer Graphics 15/6, 2009, applied to linear RGB; the figures are from memory.
 */
const SEEN_WITHOUT: Record<string, number[][]> = {
  red: [
    [0.152286, 1.052583, -0.204868],
    [0.114503, 0.786281, 0.099216],
    [-0.003882, -0.048116, 1.051998],
  ],
  green: [
    [0.367322, 0.860646, -0.227968],
    [0.280085, 0.672501, 0.047413],
    [-0.01182, 0.04294, 0.968881],
  ],
  blue: [
    [1.255528, -0.076749, -0.178779],
    [-0.078411, 0.930809, 0.147602],
    [0.004733, 0.691367, 0.3039],
  ],
};
const linear = (part: number) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4);
const encoded = (part: number) => (part <= 0.0031308 ? 12.92 * part : 1.055 * part ** (1 / 2.4) - 0.055);
function seen(colour: string, matrix: number[][]) {
  const { r, g, b } = rgb(colour);
  const parts = [r, g, b].map((part) => linear(part / 255));
  const [x, y, z] = matrix.map(
    (row) =>
      255 *
      encoded(
        Math.max(
          0,
          Math.min(
            1,
            row.reduce((sum, m, i) => sum + m * parts[i], 0),
          ),
        ),
      ),
  );
  return lab(rgb(x, y, z));
}
/** Difference of two colours in CIELAB (CIE 1976). */
const apart = (a: ReturnType<typeof lab>, b: ReturnType<typeof lab>) => Math.hypot(a.l - b.l, a.a - b.a, a.b - b.b);
const THEMES = [false, true];

test.each(RAMPS)('%s: lightness goes one way only, and neighbours are told apart with any two kinds of cones', (ramp) => {
  for (const dark of THEMES)
    for (const classes of [2, 5, 9]) {
      const colours = rampColours(ramp, classes, null, dark);
      expect(new Set(colours).size).toBe(classes);
      const lights = colours.map((colour) => lab(colour).l);
      expect(lights).toEqual([...lights].sort((a, b) => (dark ? a - b : b - a)));
      for (const matrix of Object.values(SEEN_WITHOUT))
        for (let i = 1; i < classes; i++) expect(apart(seen(colours[i], matrix), seen(colours[i - 1], matrix))).toBeGreaterThan(4);
    }
});

test.each(TWO_WAY_RAMPS)(
  '%s: stronger the farther from the middle, and its two ends are told apart with any two kinds of cones',
  (ramp) => {
    for (const dark of THEMES) {
      const colours = rampColours(ramp, 7, null, dark);
      const lights = colours.map((colour) => (dark ? 1 : -1) * lab(colour).l);
      expect(lights.slice(0, 4)).toEqual([...lights.slice(0, 4)].sort((a, b) => b - a));
      expect(lights.slice(3)).toEqual([...lights.slice(3)].sort((a, b) => a - b));
      for (const matrix of Object.values(SEEN_WITHOUT)) {
        expect(apart(seen(colours[1], matrix), seen(colours[5], matrix))).toBeGreaterThan(12);
        for (let i = 1; i < 7; i++) expect(apart(seen(colours[i], matrix), seen(colours[i - 1], matrix))).toBeGreaterThan(4);
      }
    }
  },
);

test('a middle that is not halfway leaves equal strength at equal distance', () => {
  const colours = rampColours('tide and ember', 5, 0, false);
  // One class below, four above: the one below is as strong as the first above, in another hue.
  expect(Math.abs(lab(colours[0]).l - lab(colours[1]).l)).toBeLessThan(8);
  expect(Math.abs(hcl(colours[0]).h - hcl(colours[4]).h)).toBeGreaterThan(60);
});

test('no colour and shape come together twice within the classes there can be', () => {
  const pairs = Array.from({ length: 64 }, (_, i) => JSON.stringify(markOf(i)));
  expect(new Set(pairs).size).toBe(64);
});
