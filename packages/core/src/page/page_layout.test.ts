import { layOutPage, mapOnPage, pageSize, type PageContent, type Sheet } from './page_layout.ts';

const PAGE: PageContent = {
  ...{ paper: 'a4', landscape: true, title: 'Trees', sentence: 'word '.repeat(200).trim(), scale: '1 : 5,000' },
  legend: Array.from({ length: 40 }, (_, i) => ({ name: `class ${i}`, count: '3 features', colour: '#123456', path: 'M0,0Z' })),
  ...{ bar: { points: 100, label: '200 m' }, system: 'Web Mercator', date: '2026-11-27' },
};

/** Writes down what is drawn; a sign is half as wide as it is high. */
function drawn(page: PageContent) {
  const lines: { text: string; right: number; bottom: number }[] = [];
  const marks: number[] = [];
  const sheet: Sheet = {
    measure: (text, size) => (text.length * size) / 2,
    line: (text, x, y, { size }) => void lines.push({ text, right: x + (text.length * size) / 2, bottom: y + size }),
    map: () => undefined,
    mark: (_path, _x, y) => void marks.push(y),
    fill: () => undefined,
    stroke: () => undefined,
  };
  layOutPage(page, sheet);
  return { lines, marks };
}

test.each([
  ['a4', true],
  ['a4', false],
  ['a3', true],
  ['a3', false],
] as const)('on %s, landscape %s, everything lies on the page, and what has no room is said', (paper, landscape) => {
  const page = { ...PAGE, paper, landscape };
  const [width, height] = pageSize(page);
  const { lines, marks } = drawn(page);
  for (const { text, right, bottom } of lines) expect([text, right <= width, bottom <= height]).toEqual([text, true, true]);
  const left = 40 - marks.length;
  expect(left > 0).toBe(lines.some(({ text }) => text === `and ${left} more`));
  expect(lines.filter(({ text }) => text.startsWith('word')).map(({ text }) => text.endsWith('…'))).toEqual([false, true]);
  const map = mapOnPage(page);
  expect([map.x + map.width <= width, map.y + map.height <= height]).toEqual([true, true]);
});

test('a word that is too long for its line is cut, and says so', () => {
  const { lines } = drawn({ ...PAGE, title: 'x'.repeat(200), legend: [] });
  expect(lines[0].text).toMatch(/^x+…$/);
});
