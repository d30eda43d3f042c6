import fc from 'fast-check';
import type { Expr } from './ast.ts';
import { directoryOf, identified, named, referencesIn } from './references.ts';
import { emptyTree, type Group } from './tree.ts';

const directory = directoryOf({
  AREA: [
    { id: 3, name: 'Harbour' },
    { id: 9, name: 'Wood' },
  ],
  SOURCE: [{ id: 3, name: 'Paths' }],
  SIEVE: [
    { id: 8, name: 'Lit' },
    { id: 4, name: 'Lit' },
    { id: 5, name: null },
  ],
});
const treeOf = (...exprs: Expr[]): Group => ({
  ...emptyTree(),
  children: exprs.map((expr, i) => ({ kind: 'condition', id: `c${i}`, expr })),
});
const about = (op: string, of: string | number): Expr => ({ op: 's_intersects', args: [{ property: 'geometry' }, { op, args: [of] }] });

test('areas, sources and sieves each by their own identity, wherever they stand', () => {
  const inGroup: Group = { ...treeOf(about('SOURCE', 'Paths')), id: 'g', off: true };
  const several: Expr = { op: 's_within', args: [{ property: 'geometry' }, { op: 'ANY_OF', args: [{ op: 'AREA', args: ['Wood'] }] }] };
  const tree: Group = {
    ...treeOf(about('AREA', 'Harbour'), several),
    children: [...treeOf(about('AREA', 'Harbour'), several).children, inGroup],
  };
  const kept = identified(tree, directory);
  expect(JSON.stringify(kept)).not.toMatch(/Harbour|Wood|Paths/);
  expect(referencesIn(kept)).toEqual([
    { op: 'AREA', id: 3 },
    { op: 'AREA', id: 9 },
    { op: 'SOURCE', id: 3 },
  ]);
  expect(named(kept, directory)).toEqual(tree);
});

test('what has a new name is called by it; what is gone is no name of anything', () => {
  const kept = identified(treeOf(about('AREA', 'Harbour'), about('SIEVE', 'Lit')), directory);
  const later = directoryOf({ AREA: [{ id: 3, name: 'Port' }], SOURCE: [], SIEVE: [] });
  expect(named(kept, later)).toEqual(treeOf(about('AREA', 'Port'), about('SIEVE', 'no. 4, which is gone')));
  // Of two of one name the first is meant.
  expect(referencesIn(kept)).toContainEqual({ op: 'SIEVE', id: 4 });
});

test('of several with one name each has a text of its own, which means it and no other', () => {
  const sieves = ['Lit', 'Lit', 'Lit (2)', 'Lit', 'Dark'].map((name, i) => ({ id: i + 1, name }));
  const all = directoryOf({ AREA: [], SOURCE: [], SIEVE: sieves });
  expect([...all.SIEVE]).toEqual([
    [1, 'Lit'],
    [2, 'Lit (3)'],
    [3, 'Lit (2)'],
    [4, 'Lit (4)'],
    [5, 'Dark'],
  ]);
  const kept = treeOf(...sieves.map(({ id }) => about('SIEVE', id)));
  expect(identified(named(kept, all), all)).toEqual(kept);
});

test('a name that nothing has stays, and so does a value that only looks like one', () => {
  const value: Expr = { op: '=', args: [{ property: 'street' }, 'Harbour'] };
  const tree = treeOf(value, about('AREA', 'Nowhere'));
  expect(identified(tree, directory)).toBe(tree);
  expect(named(tree, directory)).toBe(tree);
});

test('names go to identities and back, for any names', () => {
  const nameOf = fc.string({ minLength: 1, unit: 'grapheme' });
  fc.assert(
    fc.property(fc.uniqueArray(nameOf, { minLength: 1, maxLength: 8 }), (names) => {
      const entries = names.map((name, i) => ({ id: i + 1, name }));
      const all = directoryOf({ AREA: entries, SOURCE: entries, SIEVE: entries });
      const tree = treeOf(...names.flatMap((name) => [about('AREA', name), about('SOURCE', name), about('SIEVE', name)]));
      const kept = identified(tree, all);
      expect(referencesIn(kept)).toHaveLength(3 * names.length);
      expect(named(kept, all)).toEqual(tree);
    }),
  );
});
