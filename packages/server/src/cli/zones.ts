import { basename } from 'node:path';
import {
  accountOf,
  columnNamed,
  CRS84,
  checkFilter,
  checkSpread,
  DAY_MILLIS,
  derivedColumn,
  freeName,
  fullMask,
  Geos,
  has,
  IN_SEVERAL,
  isParsed,
  membershipOf,
  needsEngine,
  partInWords,
  printName,
  rowsOf,
  Sifter,
  spreadValues,
  spreadValueInWords,
  writtenFormatOf,
  zoneFigure,
  parseFilter,
  type Column,
  type FeatureTable,
  type InSeveral,
  type Mask,
  type SpreadBy,
  type ZoneAccount,
  type ZoneFigure,
  type ZonePart,
} from '@clean-sieve/core';
import { crsNamed } from '../crs/epsg.ts';
import { writeOut, type OutOptions } from './out.ts';
import { readFile } from './read_file.ts';
import { readDay, readFilter } from './sift.ts';
import { UsageError } from './usage_error.ts';

export interface ZonesOptions extends OutOptions {
  /** The file of the zones. */
  by: string;
  where?: string;
  out?: string;
  layer?: string;
  byLayer?: string;
  /** The system of the zones, where their file does not say or says it wrong. */
  byCrs?: string;
  sourceCrs?: string;
  asOf?: string;
  lon?: string;
  lat?: string;
  wkt?: string;
  count?: boolean;
  share?: boolean;
  /** Columns of the features that figures are of. */
  sum?: string[];
  mean?: string[];
  median?: string[];
  min?: string[];
  max?: string[];
  deviation?: string[];
  distinct?: string[];
  /** Units. */
  area?: string;
  length?: string;
  /** A column that sums and means are weighted by. */
  weight?: string;
  /** `COLUMN/1000` of the zones: how many features there are for each thousand of it. */
  rate?: string[];
  several?: string;
  /** A column, or year(COLUMN), month(COLUMN), month-of-year(COLUMN): every figure once for each of its values. */
  spread?: string;
}

export interface ZonesCounts extends ZoneAccount {
  zones: number;
  /** What the written columns are, in their order behind those of the zones. */
  figures: { name: string; is: string }[];
  out?: string;
  notes?: string[];
  losses?: string[];
}

const OF_COLUMNS = ['sum', 'mean', 'median', 'min', 'max', 'deviation', 'distinct'] as const;

/** Sums up the features of a file by the polygons of another. Nothing is written unless everything went well. */
export async function zones(file: string, options: ZonesOptions): Promise<ZonesCounts> {
  const asOf = options.asOf === undefined ? Math.floor(Date.now() / DAY_MILLIS) : readDay(options.asOf);
  const format = options.out === undefined ? null : writtenFormatOf(basename(options.out));
  const several = severalOf(options.several);
  const rates = (options.rate ?? []).map(rateOf);
  const { table: features, notes } = await readFile(file, options, systemSaid(options.sourceCrs));
  const { table: by, notes: notesOfZones } = await readFile(options.by, { layer: options.byLayer }, systemSaid(options.byCrs));
  const wanted = figuresOf(options, several);
  if (wanted.length === 0 && rates.length === 0)
    throw new UsageError('Say what is wanted of each zone: --count, --sum COLUMN, --mean COLUMN …');

  const geos = await Geos.open();
  const kept = keptOf(features, options.where, asOf, geos);
  const membership = membershipOf(features, by, geos);
  let whole: FeatureTable = by;
  const figures: ZonesCounts['figures'] = [];
  const add = (column: Column, is: string) => {
    whole = { ...whole, columns: [...whole.columns, column] };
    figures.push({ name: column.name, is });
  };
  const free = (name: string) => freeName(name, new Set(whole.columns.map((column) => column.name)));
  const parts = partsOf(features, kept, options.spread);
  if (parts.length * (wanted.length + rates.length) > MOST_COLUMNS)
    throw new UsageError(`--spread ${options.spread} gives ${parts.length} values, which are too many columns; narrow down with --where`);
  for (const { part, ending, words } of parts) {
    for (const { name, is, figure } of wanted)
      add(zoneFigure(features, membership, kept, { ...figure, ...(part && { part }) }, free(`${name}${ending}`)), `${is}${words}`);
    for (const { column, per } of rates) {
      if (!columnNamed(by, column)) throw new UsageError(`--rate ${column}/${per}: the zones have no column ${column}`);
      const counted = free('counted');
      const count = zoneFigure(features, membership, kept, { ...PLAIN, several, ...(part && { part }) }, counted);
      const { expr } = parseFilter(`${printName(counted)} / ${printName(column)} * ${per}`);
      const name = free(`per_${per}_${column}${ending}`);
      const counting = { ...whole, columns: [...whole.columns, count] };
      const rate = derivedColumn(counting, { name, derivation: { kind: 'computed', expr, unit: null, asOf: null } }, { asOf });
      add(rate.column, `features for each ${per} of ${column}${words}`);
    }
  }
  const losses = format ? await writeOut(options.out!, format, whole, rowsOf(fullMask(by.rows)), options) : [];
  const said = [...notes, ...notesOfZones];
  return {
    zones: by.rows,
    ...accountOf(membership, (row) => has(kept, row)),
    figures,
    ...(options.out === undefined ? {} : { out: options.out }),
    ...(said.length > 0 ? { notes: said } : {}),
    ...(losses.length > 0 ? { losses } : {}),
  };
}

/** As many as the interface makes at once. */
const MOST_COLUMNS = 400;

/** The parts that each figure is made of: one whole, or one for each value that the kept features have. */
function partsOf(
  features: FeatureTable,
  kept: Mask,
  spread: string | undefined,
): { part: ZonePart | null; ending: string; words: string }[] {
  if (spread === undefined) return [{ part: null, ending: '', words: '' }];
  const [, called, inside] = /^(year|month|month-of-year)\((.+)\)$/s.exec(spread) ?? [];
  const by: SpreadBy = called === undefined ? 'value' : called === 'month-of-year' ? 'monthOfYear' : called === 'year' ? 'year' : 'month';
  const column = columnNamed(features, inside ?? spread);
  if (!column) throw new UsageError(`--spread ${spread}: the features have no column ${inside ?? spread}`);
  checkSpread(column, by);
  const { values, of } = spreadValues(column, features.rows, by);
  const there = new Set(Array.from(rowsOf(kept), (row) => of[row]));
  return values.flatMap((value, i) => {
    if (!there.has(i)) return [];
    const part: ZonePart = { column: column.name, by, values: [value], others: false };
    return [
      { part, ending: `_${value === null || value === '' ? spreadValueInWords(value, by) : value}`, words: `, ${partInWords(part)}` },
    ];
  });
}

const systemSaid = (text: string | undefined) => (text === undefined ? null : crsNamed(text));

const PLAIN: Omit<ZoneFigure, 'several'> = { kind: 'count', column: null, weight: null, unit: null };

function figuresOf(options: ZonesOptions, several: InSeveral): { name: string; is: string; figure: ZoneFigure }[] {
  const { weight = null, area, length } = options;
  if (weight !== null && !options.sum && !options.mean) throw new UsageError('--weight is of --sum and --mean');
  const weighted = weight === null ? '' : `, weighted by ${weight}`;
  return [
    ...(options.count ? [{ name: 'count', is: 'number of features', figure: { ...PLAIN, several } }] : []),
    ...(options.share
      ? [{ name: 'share', is: 'kept features of all in the zone', figure: { ...PLAIN, kind: 'share' as const, several } }]
      : []),
    ...OF_COLUMNS.flatMap((kind) =>
      (options[kind] ?? []).map((column) => {
        const isWeighted = kind === 'sum' || kind === 'mean';
        const is = `${kind} of ${column}${isWeighted ? weighted : ''}`;
        return { name: `${kind}_${column}`, is, figure: { ...PLAIN, kind, column, weight: isWeighted ? weight : null, several } };
      }),
    ),
    ...(area === undefined
      ? []
      : [{ name: `area_${area}`, is: `area inside, in ${area}`, figure: { ...PLAIN, kind: 'area' as const, unit: area, several } }]),
    ...(length === undefined
      ? []
      : [
          {
            name: `length_${length}`,
            is: `length inside, in ${length}`,
            figure: { ...PLAIN, kind: 'length' as const, unit: length, several },
          },
        ]),
  ];
}

function keptOf(features: FeatureTable, where: string | undefined, asOf: number, geos: Geos) {
  if (where === undefined) return fullMask(features.rows);
  const parsed = readFilter(where);
  checkFilter(parsed, features.columns, {});
  const expr = isParsed(parsed) ? parsed.expr : parsed;
  return new Sifter(features, asOf, CRS84, needsEngine(expr) ? geos : null).verdict(expr).yes;
}

function severalOf(text: string | undefined): InSeveral {
  const found = IN_SEVERAL.find((one) => one === (text ?? 'each'));
  if (!found) throw new UsageError(`--in-several ${text} is not known; it is one of ${IN_SEVERAL.join(', ')}`);
  return found;
}

function rateOf(text: string): { column: string; per: number } {
  const [, column, per] = /^(.+)\/(\d+)$/s.exec(text) ?? [];
  if (!column || Number(per) === 0)
    throw new UsageError(`--rate ${text} is not a column and a number; write it as in --rate residents/1000`);
  return { column: column.trim(), per: Number(per) };
}
