import { TableBuilder, type FeatureTable } from '@clean-sieve/core';
import type { Geometry } from 'geojson';
import type { Random } from './random_lists.ts';
import { cutsExactly, inFile } from './across.ts';
import { crsNamed } from '../../packages/server/src/crs/epsg.ts';
import { anyShape, type Place } from './shapes.ts';

/** A layer as anyone would write it down: one object a feature, values as a file has them. */
export interface Records {
  types: Record<string, ValueKind>;
  rows: Record<string, Cell>[];
  shapes: (Geometry | null)[];
  place: Place;
  /** Makes another shape where those of the table are. */
  another: (random: Random) => Geometry;
  /** A shape that was made for the table, as the other geometry library is asked about it: whole where files have it in two. */
  whole: (shape: Geometry) => Geometry;
}
export type Cell = number | string | boolean | null;
export type ValueKind = 'number' | 'text' | 'boolean' | 'date' | 'datetime' | 'array';

/** Sizes at which words of masks, blocks and row groups end or do not. */
export const SMALL = [0, 1, 2, 31, 32, 33, 63, 64, 65, 100, 127, 243];
export const MIDDLE = [1000, 4095, 4096, 4097, 9001];
export const LARGE = [65_535, 65_536, 65_537, 70_000];

const WORDS = [
  '',
  'oak',
  'Oak',
  'OAK',
  'ash',
  'élan',
  'elan',
  'Élan',
  'e\u0301lan',
  'straße',
  'STRASSE',
  'I',
  'i',
  'ı',
  'İ',
  'a%b',
  'a_b',
  'back\\slash',
  "O'Hara",
  '10',
  '9',
  '0142',
  '142',
  'ﬁr',
  'fir',
  'Σας',
  'σΑΣ',
  '😀',
  '～',
];

type Maker = (random: Random) => Cell;
const twoDigits = (value: number) => String(value).padStart(2, '0');
const anyDay = (random: Random) => `${random.whole(2019, 2026)}-${twoDigits(random.whole(1, 12))}-${twoDigits(random.whole(1, 28))}`;
const EDGE_DAYS = ['2024-01-01', '2024-12-31', '2024-02-29', '2024-03-01', '2023-12-31', '2025-01-01'];

const MAKERS: Record<ValueKind, ((random: Random) => Maker)[]> = {
  number: [
    () => (random) => random.whole(-3, 9),
    () => (random) => random.pick([0, -0, 1e-300, -1e300, 0.1, 0.30000000000000004, 2 ** 53, 1e21, 1e-7]),
    () => (random) => random.next() * 100,
    (random) => {
      const constant = random.whole(0, 5);
      return () => constant;
    },
  ],
  text: [
    () => (random) => random.pick(WORDS),
    () => (random) => `t${random.whole(0, 300)}`,
    () => () => 'constant text',
    () => (random) => random.pick(['', 'x']),
  ],
  boolean: [() => (random) => random.chance(0.5), () => () => true],
  date: [
    () => (random) => (random.chance(0.3) ? random.pick(EDGE_DAYS) : anyDay(random)),
    () => (random) => random.pick([anyDay(random), anyDay(random).slice(0, 7), '2024-02', random.chance(0.1) ? '2024' : '2024-12']),
    () => () => '2024-02-29',
  ],
  datetime: [
    () => (random) => {
      const day = random.chance(0.4) ? random.pick(EDGE_DAYS) : anyDay(random);
      const time = random.pick(['00:00:00', '23:59:59.999', '12:30:00', '06:00:00.5']);
      return `${day}T${time}${random.pick(['Z', '+02:00', '-05:30', ''])}`;
    },
  ],
  array: [() => (random) => JSON.stringify(random.many(0, 3, () => random.pick(['a', 'b', 'c', 1, 2])))],
};

/** The first so many features. */
export function firstOf(records: Records, rows: number): Records {
  return { ...records, rows: records.rows.slice(0, rows), shapes: records.shapes.slice(0, rows) };
}

/** A table with at least one column of each kind and two numbers, blanks in some, none in others. */
export function anyRecords(random: Random, rows: number): Records {
  const kinds: ValueKind[] = ['number', 'number', 'text', 'text', 'boolean', 'date', 'date', 'datetime', 'array'];
  const types: Record<string, ValueKind> = {};
  const records: Record<string, Cell>[] = Array.from({ length: rows }, () => ({}));
  kinds.forEach((kind, c) => {
    const name = c === 2 ? 'name "of" it' : `${kind}_${c}`;
    types[name] = kind;
    const make = random.pick(MAKERS[kind])(random);
    const blank = random.pick([0, 0, 0.1, 0.5, 0.97]);
    for (const [row, record] of records.entries()) record[name] = row > 0 && random.chance(blank) ? null : make(random);
    // The first value settles the type: a full date, a text that is no number.
    if (rows > 0 && kind === 'date') records[0][name] = anyDay(random);
    if (rows > 0 && kind === 'text') records[0][name] = 'first';
  });
  // So that a feature is known again wherever it turns up.
  types.row_no = 'number';
  for (const [row, record] of records.entries()) record.row_no = row;
  const { place, make } = anyShape(random);
  const { another, whole } = place.strip ? cutInFiles(make) : { another: make, whole: (shape: Geometry) => shape };
  const shapes = records.map(() => (random.chance(0.06) ? null : another(random)));
  return { types, rows: records, shapes, place, another, whole };
}

/** What is made on the strip, as files have it, and back. */
function cutInFiles(make: (random: Random) => Geometry): Pick<Records, 'another' | 'whole'> {
  const made = new Map<string, Geometry>();
  const another = (random: Random) => {
    let shape = make(random);
    while (!cutsExactly(shape)) shape = make(random);
    const cut = inFile(shape, random);
    made.set(JSON.stringify(cut), shape);
    return cut;
  };
  return { another, whole: (shape) => made.get(JSON.stringify(shape))! };
}

/** The same as the engine holds it. */
export function tableOf(records: Records): FeatureTable {
  const builder = new TableBuilder();
  for (const name of Object.keys(records.types)) builder.column(name);
  records.rows.forEach((row, i) => builder.addFeature(records.shapes[i], row));
  const table = builder.finish();
  const { system } = records.place;
  return system === null ? table : { ...table, crs: crsNamed(system) };
}
