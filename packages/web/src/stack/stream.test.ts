import { streamPath, streamWidth } from './stream.ts';

test('the stream is as wide as the square root of the share, and never thinner than a thread unless it is dry', () => {
  expect([1, 0.25, 0.0001, 0].map((share) => streamWidth(share, 300))).toEqual([300, 150, 3, 0]);
  expect(streamWidth(1.5, 300)).toBe(300);
});

test('the outline runs from the top to the foot and narrows at each mesh', () => {
  const path = streamPath(
    [
      { y: 60, share: 0.25 },
      { y: 120, share: 0 },
    ],
    300,
    400,
  );
  expect(path).toMatch(/^M0,0H300V60C300,.* 150,86V120C150,.* 0,146V400H0Z$/);
  expect(streamPath([], 300, 400)).toBe('M0,0H300V400H0Z');
});
