import { emptyTree, PLAIN_STYLE } from '@clean-sieve/core';
import type { SieveInfo, SourceInfo } from '@clean-sieve/server/api';
import { passesOf, type Scene } from './passes.ts';

const source = (id: number, role: SourceInfo['role'], kind: string) =>
  ({ id, role, takenAt: '2026-01-01', shapes: 'original', columns: [], geometryTypes: { [kind]: 3, None: 9 } }) as unknown as SourceInfo;
const sieve = (id: number, sourceId: number, visible: boolean): SieveInfo => ({
  id,
  sourceId,
  name: null,
  tree: emptyTree(),
  colour: id,
  visible,
  style: null,
  view: null,
  mentions: [],
  version: 1,
});
const masks = new Map([1, 2, 3].map((id) => [id, new Uint32Array(1)]));
const scene = (more: Partial<Scene> = {}): Scene => {
  const sources = [
    source(1, 'layer', 'Point'),
    source(2, 'layer', 'Polygon'),
    source(3, 'layer', 'MultiLineString'),
    source(9, 'ground', 'Polygon'),
  ];
  const sieves = [sieve(1, 1, true), sieve(2, 2, true), sieve(3, 3, false)];
  return {
    ...{
      sources,
      sieves,
      activeSource: sources[0],
      activeSieve: sieves[0],
      nearMisses: null,
      ofAll: null,
      picks: null,
      hidden: new Set<number>(),
      showSifted: true,
    },
    maskOf: (id) => masks.get(id) ?? null,
    classesOf: () => null,
    levelsOf: () => null,
    colours: {
      dark: false,
      land: '#111111',
      coast: '#222222',
      context: '#333333',
      faint: '#444444',
      rim: '#555555',
      violet: '#666666',
    },
    ...more,
  };
};
const order = (one: Scene) =>
  passesOf(one).map(({ sourceId, paint: { colour } }) => [sourceId, colour.slice(0, 2) === '#4' ? 'faint' : colour]);

test('ground first, areas of the context below its lines, other sieves, then the active one', () => {
  expect(passesOf(scene()).map(({ sourceId, maskId }) => [sourceId, maskId > 0])).toEqual([
    [9, false], // the ground
    [2, false], // context: areas,
    [3, false], // then lines
    [2, true], // another sieve that is visible
    [1, false], // all of the active source, faint
    [1, true], // what is kept
  ]);
  expect(order(scene({ hidden: new Set([2, 3]) })).map(([id]) => id)).toEqual([9, 2, 1, 1]);
});

test('a moved bound changes the one pass of what is kept', () => {
  const before = passesOf(scene());
  const after = passesOf(scene({ maskOf: (id) => (id === 1 ? new Uint32Array(1) : masks.get(id)!) }));
  const changed = before.map(({ maskId }, i) => maskId !== after[i].maskId);
  expect(changed).toEqual([false, false, false, false, false, true]);
  // The same mask is the same.
  expect(passesOf(scene()).map(({ maskId }) => maskId)).toEqual(before.map(({ maskId }) => maskId));
});

test('near misses stand in the place of what is kept, picks on top, and nothing is drawn of what is not known yet', () => {
  const near = new Uint32Array(1);
  const picks = new Uint32Array(1);
  const passes = passesOf(scene({ nearMisses: near, picks }));
  expect([passes.at(-2)!.mask, passes.at(-1)!.mask]).toEqual([near, picks]);
  expect(passesOf(scene({ maskOf: () => null })).map(({ sourceId }) => sourceId)).toEqual([9, 2, 3]);
  expect(passesOf(scene({ showSifted: false })).filter(({ sourceId }) => sourceId === 1)).toHaveLength(1);
  // Without a sieve all of the source is drawn.
  expect(passesOf(scene({ activeSieve: null })).at(-1)).toMatchObject({ sourceId: 1, mask: null });
});

test('what is drawn of a sample is drawn of all over it, by class too, and alone where it is seen through', () => {
  const drawn = (one: Scene) => passesOf(one).filter(({ sourceId, paint: { alpha } }) => sourceId === 1 && alpha > 0.34);
  const told = (one: Scene) => drawn(one).map(({ ofAll, mask, ofClass }) => [ofAll, mask !== null, ofClass?.codes.length]);
  const ofAll = '{}';
  expect(told(scene({ ofAll }))).toEqual([
    [null, true, undefined],
    [ofAll, false, undefined],
  ]);
  const classes = [0, 1].map((wanted) => ({
    ...{ mark: { colour: '#000000', shape: 'disc' as const, hatch: null }, codes: new Uint8Array(3), wanted },
  }));
  const classed = scene({ ofAll, classesOf: ({ id }) => (id === 1 ? classes : null) });
  expect(told(classed)).toEqual([...[0, 1].map(() => [null, true, 3]), ...[0, 1].map(() => [ofAll, false, 256])]);
  expect(drawn(classed).map(({ ofClass }) => ofClass?.wanted)).toEqual([0, 1, 0, 1]);
  const faded = scene({ ofAll });
  faded.activeSieve = { ...faded.activeSieve!, style: { ...PLAIN_STYLE, opacity: 0.5 } };
  expect(told(faded)).toEqual([[ofAll, false, undefined]]);
  expect(told(scene({ ofAll, activeSieve: null, sieves: [] }))).toEqual([
    [null, false, undefined],
    [ofAll, false, undefined],
  ]);
});

test('points as large as a number are drawn together, whatever their class; lines and areas by class before them', () => {
  const classes = [0, 1].map((wanted) => ({
    mark: { colour: `#00000${wanted}`, shape: 'disc' as const, hatch: null },
    codes: new Uint8Array(3),
    wanted,
  }));
  const levels = new Uint8Array(3);
  const sized = scene({ classesOf: ({ id }) => (id === 1 ? classes : null), levelsOf: ({ id }) => (id === 1 ? levels : null) });
  const own = passesOf(sized).filter(({ sourceId, sizes }) => sourceId === 1 && sizes !== null);
  expect(own.map(({ sizes }) => (sizes?.later ? 'later' : sizes?.classes?.marks.map(({ colour }) => colour)))).toEqual([
    ['#000000', '#000001'],
  ]);
  sized.activeSource = { ...sized.activeSource!, geometryTypes: { Point: 1, Polygon: 1 } };
  const mixed = passesOf(sized).filter(({ sourceId, sizes }) => sourceId === 1 && sizes !== null);
  expect(mixed.map(({ sizes, ofClass }) => [sizes?.later, ofClass?.wanted])).toEqual([
    [true, 0],
    [true, 1],
    [false, undefined],
  ]);
});

test('a source that is part of the ground is drawn above the land and below all others; not what is hidden', () => {
  const below = scene();
  below.sources = below.sources.map((source) => ({ ...source, below: source.id === 3 }));
  expect(passesOf(below).map(({ sourceId }) => sourceId)).toEqual([9, 3, 2, 2, 1, 1]);
  expect(passesOf({ ...below, hidden: new Set([3]) }).map(({ sourceId }) => sourceId)).toEqual([9, 2, 2, 1, 1]);
});
