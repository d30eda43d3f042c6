import { staleMentions, valuesMentioned } from './mentions.ts';
import { parseFilter } from './parser.ts';
import { emptyTree, treeOfExpr } from './tree.ts';
import type { Wording } from './phrases.ts';

const wording: Wording = {
  columns: [
    { name: 'girth_cm', type: 'number' },
    { name: 'species', type: 'text' },
    { name: 'seen', type: 'date' },
  ],
  asOf: 20_000,
  meaning: (column, value) => (column === 'species' && value === '0142' ? 'Common oak' : undefined),
};
let id = 0;
const tree = (text: string) => treeOfExpr(parseFilter(text).expr, emptyTree(), () => `n${id++}`);

test.each([
  ['Girth over 250', 'girth_cm > 250', ['250']],
  ['Common oaks', "species = '0142'", []],
  ['Common oak, big', "species = '0142'", ['common oak']],
  ['Seen in 2020', "seen >= DATE('2020-01-01')", ['2020']],
  ['Within 1,500 m', 'S_DWITHIN(geometry, POINT(1 2), 1500)', ['1500']],
  ['Storm season 2026', 'girth_cm > 250', []],
  ['Last 5 years', "seen > AS_OF(-5, 'years')", ['years']],
])('%s mentions of %s', (name, text, values) => expect(valuesMentioned(name, tree(text), wording)).toEqual(values));

test('a name fits no longer when a value it mentions has gone', () => {
  const mentioned = valuesMentioned('Oaks over 250', tree('girth_cm > 250'), wording);
  expect(staleMentions(mentioned, tree('girth_cm > 250 AND species IS NULL'), wording)).toEqual([]);
  expect(staleMentions(mentioned, tree('girth_cm > 300'), wording)).toEqual(['250']);
  expect(staleMentions(valuesMentioned('Storm season 2026', tree('girth_cm > 250'), wording), tree('girth_cm > 3'), wording)).toEqual([]);
});
