import { RUN_CLASSES, type BySteps } from '@clean-sieve/core';
import fc from 'fast-check';
import { isRun, runBounds } from './run_of_colours.ts';

test('a run of colours has equal steps within the values, and 0 among them where values lie on both sides', () => {
  const number = fc.double({ min: -1e9, max: 1e9, noNaN: true });
  fc.assert(
    fc.property(number, number, (a, b) => {
      const [low, high] = [Math.min(a, b), Math.max(a, b)];
      const bounds = runBounds(low, high);
      expect(bounds.length).toBeLessThan(RUN_CLASSES);
      for (const [i, bound] of bounds.entries()) {
        expect(bound).toBeGreaterThan(i === 0 ? low : bounds[i - 1]);
        expect(bound).toBeLessThan(high);
      }
      if (high - low > 1e-6 && low < 0 && high > 0) expect(bounds.some((bound) => bound === 0)).toBe(true);
      if (high - low > 1e-3) expect(bounds.length).toBeGreaterThan(RUN_CLASSES - 4);
    }),
    { numRuns: 300, examples: [[-199308025.6881573, 5e-324]] },
  );
  expect([runBounds(5, 5), runBounds(0, RUN_CLASSES).slice(0, 3)]).toEqual([[], [1, 2, 3]]);
});

test('classes of another method are not a run', () => {
  const by = (method: BySteps['method']): BySteps => ({ kind: 'steps', column: 'n', method, bounds: [1], ramp: 'tide', middle: null });
  expect([isRun(null), isRun(by('equal')), isRun(by('continuous'))]).toEqual([false, false, true]);
});
