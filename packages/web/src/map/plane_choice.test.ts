import { isPlaneName, planeNamed, type PlaneName } from '@clean-sieve/core';
import fc from 'fast-check';
import type { Box } from './on_map.ts';
import { choosePlane } from './plane_choice.ts';

test('what is in view decides: a town and a country stay as they are, the world and the poles do not', () => {
  const chosen = (view: Box) => choosePlane(view, 'mercator');
  expect(chosen([-12.6, 46.4, -11.9, 46.8])).toBe('mercator');
  expect(chosen([-10, 35, 40, 70])).toBe('mercator');
  // Svalbard, and Alaska across the 180° meridian.
  expect(chosen([10, 74, 35, 81])).toBe('mercator');
  expect(chosen([170, 51, 230, 72])).toBe('mercator');
  expect(chosen([-180, -85, 180, 85])).toBe('world');
  expect(chosen([-75, 59, -10, 84])).toBe('north -40');
  expect(chosen([-180, -85, 180, -60])).toBe('south 0');
  expect(chosen([100, -85, 260, -62])).toBe('south 180');
});

test('a plane stays for somewhat longer than it takes to come', () => {
  expect([choosePlane([-70, -20, 80, 60], 'mercator'), choosePlane([-70, -20, 80, 60], 'world')]).toEqual(['mercator', 'world']);
  expect([choosePlane([-60, 62, 0, 80], 'mercator'), choosePlane([-60, 62, 0, 80], 'north -40')]).toEqual(['mercator', 'north -40']);
  // With the pole in view it is never left; with the other hemisphere in view the world is looked at.
  expect(choosePlane([-180, 88, 180, 90], 'north 10')).toBe('north 10');
  expect(choosePlane([-180, -5, 180, 90], 'north 10')).toBe('world');
});

test('whatever is in view, the plane is one there is, and stays when it is asked again', () => {
  const any = fc.tuple(
    fc.double({ min: -540, max: 540, noNaN: true }),
    fc.double({ min: 0, max: 400, noNaN: true }),
    fc.double({ min: -90, max: 90, noNaN: true }),
    fc.double({ min: -90, max: 90, noNaN: true }),
  );
  fc.assert(
    fc.property(any, fc.constantFrom<PlaneName>('mercator', 'world', 'north 0', 'south -90'), ([west, wide, a, b], current) => {
      const view: Box = [west, Math.min(a, b), west + wide, Math.max(a, b)];
      const chosen = choosePlane(view, current);
      expect(isPlaneName(chosen)).toBe(true);
      expect(planeNamed(chosen).forward(0, 0)).toBeDefined();
      expect(choosePlane(view, chosen)).toBe(chosen);
    }),
  );
});
