import { matching } from './found.ts';

test('every word is looked for, whatever its case, accents and order; beginnings come first', () => {
  const all = ['Trees over Élan', 'Elan trees', 'Paths', 'elan'];
  expect(matching(all, (one) => one, 'elan')).toEqual(['Elan trees', 'elan', 'Trees over Élan']);
  expect(matching(all, (one) => one, 'TREES élan')).toEqual(['Trees over Élan', 'Elan trees']);
  expect(matching(all, (one) => one, ' ')).toEqual([]);
});
