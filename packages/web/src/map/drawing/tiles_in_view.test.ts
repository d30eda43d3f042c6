import fc from 'fast-check';
import type { MapFrame } from './paint.ts';
import { tilesInView } from './tiles_in_view.ts';

const HALF = Math.PI * 6_378_137;
const frame = (rest: Partial<MapFrame>): MapFrame => ({
  plane: 'mercator',
  center: [0, 0],
  resolution: 10_000,
  width: 1280,
  height: 800,
  ratio: 1,
  ...rest,
});

test('tiles cover the picture from the north to the south end of the world without gaps, and nothing twice', () => {
  const center = fc.tuple(fc.double({ min: -HALF, max: HALF, noNaN: true }), fc.double({ min: -HALF, max: HALF, noNaN: true }));
  fc.assert(
    fc.property(center, fc.double({ min: -1, max: 5, noNaN: true }), fc.constantFrom(1, 1.5, 2), (at, power, ratio) => {
      const view = frame({ center: at, resolution: 10 ** power, ratio, width: 777, height: 500 });
      const tiles = tilesInView(view);
      const world = (2 * HALF * ratio) / view.resolution;
      const top = view.height / 2 - ((HALF - at[1]) / (2 * HALF)) * world;
      for (let i = 0; i < 40; i++) {
        const [x, y] = [Math.floor((i * 191.7) % view.width), Math.floor((i * 83.3) % view.height)];
        if (y < top + 1 || y > top + world - 1) continue;
        const over = tiles.filter(({ clip: [l, t, r, b] }) => x >= l && x < r && y >= t && y < b);
        expect([x, y, over.length]).toEqual([x, y, 1]);
      }
    }),
  );
});

test('a place is where the projection puts it, in every copy of the world', () => {
  // 90° E on the equator, in a world of 4008 pixels seen twice over.
  const view = frame({ center: [HALF, 0], width: 8000 });
  const at = 90 / 360 + 0.5;
  const seen = tilesInView(view).flatMap(({ z, x, left, scale }) => {
    const unit = (at * 2 ** z - x) * 4096;
    return unit >= 0 && unit < 4096 ? [left + unit * scale] : [];
  });
  const first = 4000 + ((at - 1) * 2 * HALF) / 10_000;
  const distinct = [...new Set(seen.map((value) => Math.round(value)))];
  expect(distinct).toContain(Math.round(first));
  expect(distinct).toContain(Math.round(first + (2 * HALF) / 10_000));
});

test('at a usual screen few tiles are needed, at any scale', () => {
  for (let zoom = 0; zoom <= 22; zoom += 0.31)
    expect(tilesInView(frame({ resolution: (2 * HALF) / 256 / 2 ** zoom })).length).toBeLessThan(40);
});

test('the world comes round again on web Mercator only', () => {
  const seen = (plane: MapFrame['plane']) => tilesInView(frame({ plane, resolution: 100_000, width: 2000 })).length;
  expect([seen('mercator'), seen('world'), seen('north 0')]).toEqual([5, 1, 1]);
});
