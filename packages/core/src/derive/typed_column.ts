import { NO_OFFSET, type Column, type ColumnChunk, type ColumnType } from '../features/column.ts';
import { emptyMask, has, put } from '../features/mask.ts';
import { rangeOf } from '../features/subset.ts';
import { FilterError } from '../filters/filter_error.ts';
import { foldCase } from '../filters/text_matching.ts';
import { PRECISIONS } from '../time/calendar.ts';
import { DatePattern } from './date_pattern.ts';
import { isFactor, UnitReader, unitsAround, type UnitSpelled } from './number_with_unit.ts';
import { dateSpelled, instantSpelled, numberSpelled, yesNoSpelled, type DateOrder, type Decimal } from './spellings.ts';

/** The typed values of a text column. */
export interface TypedDerivation {
  kind: 'typed';
  from: string;
  as: Exclude<ColumnType, 'text'>;
  decimal: Decimal;
  order: DateOrder;
  /** What may stand in front of numbers or behind them; none: nothing may. */
  units?: UnitSpelled[];
  /** What its numbers are in, as it is read. */
  unit?: string;
  /** The pattern that all dates are written by (`DatePattern`); none: the ways that are usual, of which `order` decides. */
  pattern?: string;
  /** Of the hundred years that the pattern's years of two digits lie in. */
  firstYear?: number;
  /** Words for yes and for no, whatever their case; none: those that are usual. */
  words?: { yes: string[]; no: string[] };
  /** Texts that are read as if another stood there, that of an empty one being blank. */
  instead?: [text: string, other: string][];
}

/** How a text column can be read. */
export interface Reading {
  derivation: TypedDerivation;
  /** Rows with a text that is not empty; of those, rows whose text can be converted. */
  present: number;
  fitting: number;
  /** Texts that cannot be converted, most frequent first: all of them. */
  misfits: { value: string; count: number }[];
  /** Rows whose text is read as if another stood there, or is left blank for good. */
  instead: number;
  /** Leading zeros would be lost, which codes need. */
  losesZeros: boolean;
}

/** A type that a text column could have, and what stands against it. */
export type TypeOffer = Reading;

/** Offers below this share of fitting texts are not worth making. */
const LEAST_SHARE = 0.5;

/** Types that most texts of a column fit, best first; none for a column that is not text. */
export function typeOffers(column: Column): TypeOffer[] {
  if (!column.dictionary) return [];
  const counts = countCodes(column);
  const plain = { decimal: 'point', order: 'dmy' } as const;
  const candidates: Omit<TypedDerivation, 'kind' | 'from'>[] = [
    { ...plain, as: 'number' },
    { ...plain, as: 'number', decimal: 'comma' },
    { ...plain, as: 'date' },
    { ...plain, as: 'date', order: 'mdy' },
    { ...plain, as: 'datetime' },
    { ...plain, as: 'datetime', order: 'mdy' },
    { ...plain, as: 'boolean' },
    ...(['point', 'comma'] as const).flatMap((decimal) => withOneUnit(column, counts, decimal)),
  ];
  const best = new Map<ColumnType, TypeOffer>();
  for (const candidate of candidates) {
    const offer = readingOf(column, counts, { kind: 'typed', from: column.name, ...candidate });
    if (offer.present === 0 || offer.fitting / offer.present < LEAST_SHARE || !isTelling(column, counts, offer.derivation)) continue;
    const known = best.get(offer.derivation.as);
    if (!known || offer.fitting > known.fitting) best.set(offer.derivation.as, offer);
  }
  return [...best.values()].sort((a, b) => b.fitting - a.fitting);
}

/** Numbers that all stand beside the same text. What several would be to one another only a person can say. */
function withOneUnit(column: Column, counts: Uint32Array, decimal: Decimal): Omit<TypedDerivation, 'kind' | 'from'>[] {
  const [unit, ...others] = unitsAround(textsOf(column, counts), decimal);
  if (!unit || others.length > 0) return [];
  return [{ as: 'number', decimal, order: 'dmy', unit: unit.text, units: [{ text: unit.text, times: '1' }] }];
}

/** At least one text can hardly be meant otherwise: a column of bare years or of 0 and 1 is numbers or codes. */
function isTelling(column: Column, counts: Uint32Array, derivation: TypedDerivation): boolean {
  if (derivation.as === 'number') return true;
  const read = textReader(derivation);
  for (const { value } of textsOf(column, counts)) if (read(value) !== null && !/^\d{1,8}$/.test(value.trim())) return true;
  return false;
}

/**
 * How the texts of a column are read by a derivation.
 * @throws FilterError where its pattern, its units or its words are none
 */
export function readingReport(column: Column, derivation: TypedDerivation): Reading {
  return readingOf(column, countCodes(column), derivation);
}

function readingOf(column: Column, counts: Uint32Array, derivation: TypedDerivation): Reading {
  const reading: Reading = { derivation, present: 0, fitting: 0, misfits: [], instead: 0, losesZeros: false };
  const others = new Map(derivation.instead);
  const read = textReader(derivation);
  for (const { value, count } of textsOf(column, counts)) {
    reading.present += count;
    const other = others.get(value);
    if (other !== undefined) reading.instead += count;
    if (read(value) !== null) reading.fitting += count;
    // What is left blank on purpose is no misfit.
    else if (other?.trim() !== '') reading.misfits.push({ value, count });
    if (derivation.as === 'number' && /^[+-]?0\d/.test(value.trim())) reading.losesZeros = true;
  }
  reading.misfits.sort((a, b) => b.count - a.count);
  return reading;
}

/** Texts around the numbers of a column, most frequent first. */
export const unitsIn = (column: Column, decimal: Decimal): { text: string; rows: number }[] =>
  unitsAround(textsOf(column, countCodes(column)), decimal);

/** Texts that are not blank, with how many rows have each. */
function* textsOf(column: Column, counts: Uint32Array): Generator<{ value: string; count: number }> {
  for (let code = 0; code < counts.length; code++) {
    const value = counts[code] === 0 ? '' : column.dictionary!.at(code);
    if (value.trim() !== '') yield { value, count: counts[code] };
  }
}

function countCodes(column: Column): Uint32Array {
  const counts = new Uint32Array(column.dictionary!.size);
  for (const chunk of column.chunks) {
    if (chunk.type !== 'text') continue;
    for (let i = 0; i < chunk.rows; i++) if (!chunk.validity || has(chunk.validity, i)) counts[chunk.codes[i]]++;
  }
  return counts;
}

type Converted = number | boolean | { day: number; precision: number } | { millis: number; offset: number };

/** Throws a FilterError where nothing can be read by a derivation: its pattern, its units or its words are none. */
export function checkTyped(derivation: TypedDerivation): void {
  textReader(derivation);
}

/** Reads single texts; null where one cannot be converted. Throws a FilterError where the derivation cannot be read by. */
function textReader(derivation: TypedDerivation): (text: string) => Converted | null {
  const read = plainReader(derivation);
  const others = new Map(derivation.instead);
  return (text) => read(others.get(text) ?? text);
}

function plainReader(derivation: TypedDerivation): (text: string) => Converted | null {
  const { as, decimal, order, units, pattern } = derivation;
  const dates = pattern === undefined ? null : new DatePattern(pattern, derivation.firstYear);
  switch (as) {
    case 'number': {
      if (!units) return (text) => numberSpelled(text, decimal);
      for (const { text, times } of units)
        if (!isFactor(times)) throw new FilterError(`${text} is ${times || 'nothing'} of the column's unit, which is no number above 0`);
      const twice = units.find(({ text }, i) => units.findIndex((one) => one.text.trim() === text.trim()) < i);
      if (twice) throw new FilterError(`The unit ${twice.text.trim()} is said twice`);
      const reader = new UnitReader(units);
      return (text) => reader.read(text, decimal)?.value ?? null;
    }
    case 'boolean':
      return yesNoReader(derivation.words);
    case 'date': {
      if (dates?.tellsTime) throw new FilterError('The pattern has a time of day', null, 'Read it as dates with a time');
      return (text) => {
        const date = dates ? dates.date(text) : dateSpelled(text, order);
        return date && { day: date.day, precision: PRECISIONS.indexOf(date.precision) };
      };
    }
    case 'datetime': {
      if (dates && !dates.tellsTime) throw new FilterError('The pattern has no time of day', null, 'Read it as dates, or add HH:mm');
      return (text) => {
        const instant = dates ? dates.instant(text) : instantSpelled(text, order);
        return instant && { millis: instant.millis, offset: instant.offset ?? NO_OFFSET };
      };
    }
  }
}

function yesNoReader(words: TypedDerivation['words']): (text: string) => boolean | null {
  if (!words) return yesNoSpelled;
  const plain = (all: readonly string[]) => new Set(all.map((word) => foldCase(word.trim())));
  const [yes, no] = [plain(words.yes), plain(words.no)];
  for (const word of yes) if (no.has(word)) throw new FilterError(`${word} would be yes and no`);
  return (text) => {
    const word = foldCase(text.trim());
    return yes.has(word) ? true : no.has(word) ? false : null;
  };
}

/**
 * The typed column of a text column: texts that cannot be converted, and empty ones, are blank.
 * @param name of the new column
 * @throws FilterError where its pattern, its units or its words are none
 */
export function typedColumn(column: Column, derivation: TypedDerivation, name: string): Column {
  const { dictionary } = column;
  if (!dictionary) throw new Error(`${column.name} is not a text column`);
  const read = textReader(derivation);
  const converted = Array.from({ length: dictionary.size }, (_, code) => read(dictionary.at(code)));
  const chunks = column.chunks.map((chunk): ColumnChunk => {
    const codes = chunk.type === 'text' ? chunk.codes : new Uint32Array(0);
    const validity = emptyMask(chunk.rows);
    let nulls = 0;
    const valueAt = (i: number): Converted | null => (!chunk.validity || has(chunk.validity, i) ? (converted[codes[i]] ?? null) : null);
    for (let i = 0; i < chunk.rows; i++) {
      if (valueAt(i) === null) nulls++;
      else put(validity, i);
    }
    const base = { rows: chunk.rows, nulls, validity: nulls === 0 ? null : validity };
    return typedChunk(derivation.as, base, valueAt);
  });
  return { name, type: derivation.as, chunks, dictionary: null };
}

function typedChunk(
  as: TypedDerivation['as'],
  base: Pick<ColumnChunk, 'rows' | 'nulls' | 'validity'>,
  valueAt: (i: number) => Converted | null,
): ColumnChunk {
  const { rows, validity } = base;
  switch (as) {
    case 'number': {
      const values = Float64Array.from({ length: rows }, (_, i) => (valueAt(i) as number | null) ?? 0);
      return { ...base, type: 'number', values, ...rangeOf(values, validity) };
    }
    case 'boolean': {
      const values = emptyMask(rows);
      for (let i = 0; i < rows; i++) if (valueAt(i) === true) put(values, i);
      return { ...base, type: 'boolean', values };
    }
    case 'date': {
      type Day = { day: number; precision: number } | null;
      const days = Int32Array.from({ length: rows }, (_, i) => (valueAt(i) as Day)?.day ?? 0);
      const precision = Uint8Array.from({ length: rows }, (_, i) => (valueAt(i) as Day)?.precision ?? 0);
      return {
        ...base,
        type: 'date',
        days,
        precision: precision.some((p) => p > 0) ? precision : null,
        ...rangeOf(days, validity),
      };
    }
    case 'datetime': {
      type At = { millis: number; offset: number } | null;
      const millis = Float64Array.from({ length: rows }, (_, i) => (valueAt(i) as At)?.millis ?? 0);
      const offsets = Int16Array.from({ length: rows }, (_, i) => (valueAt(i) as At)?.offset ?? NO_OFFSET);
      return { ...base, type: 'datetime', millis, offsets, ...rangeOf(millis, validity) };
    }
  }
}
