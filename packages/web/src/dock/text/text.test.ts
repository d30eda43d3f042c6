import fc from 'fast-check';
import { emptyTree, exprOfTree, parseFilter, replaceNode, sameExpr, treeOfExpr, type Finding, type Group } from '@clean-sieve/core';
import type { ColumnInfo } from '@clean-sieve/server/api';
import { CompletionContext } from '@codemirror/autocomplete';
import { EditorState } from '@codemirror/state';
import { completionOf, type Known } from './completion.ts';
import { helpAt } from './help.ts';
import { hintOfError, hintOfReadings, hintsOfFindings, mixedIn, treesOf } from './hints.ts';
import { changed, changesTo, placesOf } from './keeping_text.ts';

let next = 0;
const treeOf = (text: string, before: Group = emptyTree()) => treeOfExpr(parseFilter(text).expr, before, () => `n${next++}`);
const column = (name: string, type: ColumnInfo['type'], more: Partial<ColumnInfo> = {}): ColumnInfo => ({
  ...{ name, type, nulls: 0, empty: 0, distinct: 3, min: null, max: null, title: null, description: null },
  ...{ hidden: false, derivation: null, codeList: null },
  ...more,
});
const known: Known = {
  columns: [
    column('species', 'text', { codeList: 1 }),
    column('girth_cm', 'number', { distinct: 900, min: 3, max: 640, nulls: 12, description: 'at breast height' }),
    column('planted', 'date', { distinct: 900, min: '1890-01-01', max: '2026-05-01' }),
    column('order by', 'boolean'),
  ],
  areas: ['Harbour'],
  operands: { sources: ['Paths'], sieves: ['Lit paths'] },
  values: (name) =>
    Promise.resolve(
      name === 'species'
        ? [
            { value: '0101', count: 40, kept: 4 },
            { value: '0142', count: 30, kept: 3 },
            { value: "O'x", count: 2, kept: 0 },
          ]
        : [],
    ),
  meaning: (_column, value) => ({ '0101': 'Oak', '0142': 'Sycamore' })[String(value)],
};

describe('an edit in the stack leaves the rest of the text', () => {
  const text = 'a  >  1\nAND (b = 2   OR c IS NULL) -- no'.replace(' -- no', '') + "\nAND d LIKE 'x%'";

  test('one condition changed: only its term', () => {
    const tree = treeOf(text);
    const moved = replaceNode(tree, tree.children[0].id, (node) => ({ ...node, expr: parseFilter('a > 7').expr }) as typeof node);
    expect(changed(text, changesTo(text, moved))).toBe(text.replace('a  >  1', 'a > 7'));
  });

  test('a term that needs brackets in its place gets them', () => {
    const tree = treeOf('a > 1 AND b = 2');
    const kept = replaceNode(
      tree,
      tree.children[0].id,
      (node) => ({ ...node, expr: parseFilter('a > 1 OR a IS NULL').expr }) as typeof node,
    );
    expect(changed('a > 1 AND b = 2', changesTo('a > 1 AND b = 2', kept))).toBe('(a > 1 OR a IS NULL) AND b = 2');
  });

  test('any other tree: the text says it afterwards', () => {
    const texts = fc.constantFrom(
      'a > 1',
      'a > 1 AND b = 2',
      '(a = 1 OR b = 2) AND c = 3',
      'NOT (a = 1 OR b = 2)',
      "d LIKE 'x%' OR a IN (1, 2)",
      'a = ',
    );
    fc.assert(
      fc.property(
        texts,
        texts.filter((t) => t !== 'a = '),
        (from, to) => {
          const tree = treeOf(to);
          const after = changed(from, changesTo(from, tree));
          expect(sameExpr(parseFilter(after).expr, exprOfTree(tree)!)).toBe(true);
        },
      ),
    );
    expect(changed('a > 1', changesTo('a > 1', emptyTree()))).toBe('');
  });

  test('every condition of the tree is found in a text that says the same, none in another', () => {
    const tree = treeOf(text);
    expect(placesOf(text, tree).map(({ span }) => text.slice(span.from, span.to))).toEqual([
      'a  >  1',
      'b = 2',
      'c IS NULL',
      "d LIKE 'x%'",
    ]);
    expect(placesOf('a > 2', tree)).toEqual([]);
  });
});

describe('help on a word', () => {
  test.each<[string, number, string | null, string]>([
    ['girth_cm > 3', 2, 'girth_cm · Girth', '12 blank'],
    ['girth_cm > 3', 2, 'girth_cm · Girth', 'From 3 to 640'],
    ["species = '0101'", 12, '0101 · Oak', 'in Species'],
    ["species = 'x' AND girth_cm = 1", 15, 'AND', 'Both sides'],
    ['S_WITHIN(geometry, POINT(1 1))', 3, 'S_WITHIN(geometry, POLYGON((…)))', 'lies in'],
    ['S_WITHIN(geometry, POINT(1 1))', 12, 'geometry', 'shape'],
    ['girth_cm > 3', 9, null, ''],
    ["species = 'open", 3, null, ''],
  ])('%s at %i', (text, offset, title, line) => {
    const help = helpAt(text, offset, known);
    expect(help?.title ?? null).toBe(title);
    if (help) expect(help.lines.join('\n')).toContain(line);
  });
});

describe('hints', () => {
  test('an error with a clear remedy is mended by one click', () => {
    const hint = hintOfError(Object.assign(new Error('x'), { span: { from: 0, to: 3 }, line: 'no', replacement: 'girth_cm' }) as never, 20);
    expect(hint).toMatchObject({
      from: 0,
      to: 3,
      severity: 'error',
      fixes: [{ label: 'write girth_cm', replace: { insert: 'girth_cm' } }],
    });
  });

  test('findings stand at their terms, those of blanks are left to the stack', () => {
    const tree = treeOf('a > 1 AND b = 2');
    const findings = tree.children.map(({ id }, i) => ({
      id,
      kind: i ? 'no-effect' : 'blanks-out',
      message: 'm',
      fix: null,
    })) as unknown as Finding[];
    expect(hintsOfFindings('a > 1 AND b = 2', tree, findings)).toMatchObject([{ from: 10, to: 15, message: 'm' }]);
    expect(hintsOfFindings('a > 1 AND b = 3', tree, findings)).toEqual([]);
  });

  test('both readings of mixed AND and OR, each with its count', () => {
    const text = 'a = 1 OR b = 2 AND c = 3';
    const [reading] = mixedIn(text);
    const hint = hintOfReadings(text, reading, [1200, 7]);
    expect(hint.fixes.map(({ label, replace }) => [label, replace!.insert])).toEqual([
      ['brackets round AND · 1,200 kept', 'a = 1 OR (b = 2 AND c = 3)'],
      ['brackets round OR · 7 kept', '(a = 1 OR b = 2) AND c = 3'],
    ]);
    expect(treesOf(reading).map((tree) => sameExpr(exprOfTree(tree)!, reading.andFirst))).toEqual([true, false]);
    expect(mixedIn('a = 1 OR (b = 2 AND c = 3)')).toEqual([]);
    expect(mixedIn('a = ')).toEqual([]);
  });
});

describe('completion', () => {
  const offered = async (text: string, explicit = true) => {
    const state = EditorState.create({ doc: text });
    const result = await completionOf(() => known)(new CompletionContext(state, text.length, explicit));
    return result?.options.map(({ label, detail }) => `${label} | ${detail ?? ''}`) ?? null;
  };

  test('values of the column with their counts, found by meaning too', async () => {
    expect(await offered("species = '01")).toEqual(['0101 · Oak | 40 · 4 kept now', '0142 · Sycamore | 30 · 3 kept now']);
    expect(await offered("species IN ('0101', 'syc")).toEqual(['0142 · Sycamore | 30 · 3 kept now']);
  });

  test('what does not fit the list is counted', async () => {
    const state = EditorState.create({ doc: "species = 'v" });
    const many = {
      ...known,
      values: () => Promise.resolve(Array.from({ length: 720 }, (_, i) => ({ value: `v${i}`, count: 720 - i, kept: 0 }))),
    };
    const result = await completionOf(() => many)(new CompletionContext(state, state.doc.length, true));
    expect(result!.options.slice(-2).map(({ label }) => label)).toEqual(['v499', '220 more']);
  });

  test('the ends of a column of many numbers or days', async () => {
    expect(await offered('girth_cm > ')).toEqual(['3 | smallest', '640 | largest']);
    expect((await offered('planted < '))!.slice(0, 3)).toEqual([
      '1 Jan 1890 | first',
      '1 May 2026 | last',
      "5 years before the as-of date | AS_OF(-5, 'years')",
    ]);
  });

  test('patterns after LIKE with what they would find', async () => {
    expect(await offered("species LIKE '01")).toEqual([
      'contains 01 | 70 features',
      'begins with 01 | 70 features',
      'ends with 01 | 40 features',
    ]);
  });

  test('operators that fit the column, then columns and functions', async () => {
    expect((await offered('species '))!.map((line) => line.split(' | ')[0])).toEqual([
      '=',
      '<>',
      'IN (',
      'NOT IN (',
      'LIKE',
      'IS NULL',
      'IS NOT NULL',
    ]);
    expect(await offered('gir', false)).toContain('girth_cm | number');
    expect(await offered('ord', false)).toContain('"order by" | boolean');
    expect(await offered('', false)).toBeNull();
  });
});
