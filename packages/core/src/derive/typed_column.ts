import { NO_OFFSET, type Column, type ColumnChunk, type ColumnType } from '../features/column.ts';
import { emptyMask, has, put } from '../features/mask.ts';
import { rangeOf } from '../features/subset.ts';
import { PRECISIONS } from '../time/calendar.ts';
import { dateSpelled, instantSpelled, numberSpelled, yesNoSpelled, type DateOrder, type Decimal } from './spellings.ts';

/** What a derived column is made of: the typed values of a text column, which stays as it is beside it. */
export interface Derivation {
  kind: 'typed';
  from: string;
  as: Exclude<ColumnType, 'text'>;
  decimal: Decimal;
  order: DateOrder;
}

/** A type that a text column could have, and what stands against it. */
export interface TypeOffer {
  derivation: Derivation;
  /** Rows with a text that is not empty; of those, rows whose text can be converted. */
  present: number;
  fitting: number;
  /** Texts that cannot be converted, most frequent first: all of them. */
  misfits: { value: string; count: number }[];
  /** Leading zeros would be lost, which codes need. */
  losesZeros: boolean;
  /** At least one text can hardly be meant otherwise: a column of bare years or of 0 and 1 is numbers or codes. */
  telling: boolean;
}

/** Offers below this share of fitting texts are not worth making. */
const LEAST_SHARE = 0.5;

/** Types that most texts of a column fit, best first; none for a column that is not text. */
export function typeOffers(column: Column): TypeOffer[] {
  if (!column.dictionary) return [];
  const counts = countCodes(column);
  const candidates: Omit<Derivation, 'kind' | 'from'>[] = [
    { as: 'number', decimal: 'point', order: 'dmy' },
    { as: 'number', decimal: 'comma', order: 'dmy' },
    { as: 'date', decimal: 'point', order: 'dmy' },
    { as: 'date', decimal: 'point', order: 'mdy' },
    { as: 'datetime', decimal: 'point', order: 'dmy' },
    { as: 'datetime', decimal: 'point', order: 'mdy' },
    { as: 'boolean', decimal: 'point', order: 'dmy' },
  ];
  const offers = candidates.map((candidate) => offerOf(column, counts, { kind: 'typed', from: column.name, ...candidate }));
  const best = new Map<ColumnType, TypeOffer>();
  for (const offer of offers) {
    if (offer.present === 0 || offer.fitting / offer.present < LEAST_SHARE || !offer.telling) continue;
    const known = best.get(offer.derivation.as);
    if (!known || offer.fitting > known.fitting) best.set(offer.derivation.as, offer);
  }
  return [...best.values()].sort((a, b) => b.fitting - a.fitting);
}

function offerOf(column: Column, counts: Uint32Array, derivation: Derivation): TypeOffer {
  const offer: TypeOffer = { derivation, present: 0, fitting: 0, misfits: [], losesZeros: false, telling: false };
  counts.forEach((count, code) => {
    const value = column.dictionary!.at(code);
    if (count === 0 || value.trim() === '') return;
    offer.present += count;
    if (convert(value, derivation) === null) offer.misfits.push({ value, count });
    else {
      offer.fitting += count;
      if (derivation.as === 'number' || !/^\d{1,8}$/.test(value.trim())) offer.telling = true;
    }
    if (derivation.as === 'number' && /^[+-]?0\d/.test(value.trim())) offer.losesZeros = true;
  });
  offer.misfits.sort((a, b) => b.count - a.count);
  return offer;
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

function convert(text: string, { as, decimal, order }: Derivation): Converted | null {
  switch (as) {
    case 'number':
      return numberSpelled(text, decimal);
    case 'boolean':
      return yesNoSpelled(text);
    case 'date': {
      const date = dateSpelled(text, order);
      return date && { day: date.day, precision: PRECISIONS.indexOf(date.precision) };
    }
    case 'datetime': {
      const instant = instantSpelled(text, order);
      return instant && { millis: instant.millis, offset: instant.offset ?? NO_OFFSET };
    }
  }
}

/**
 * The typed column of a text column: texts that cannot be converted, and empty ones, are blank.
 * @param name of the new column
 */
export function typedColumn(column: Column, derivation: Derivation, name: string): Column {
  const { dictionary } = column;
  if (!dictionary) throw new Error(`${column.name} is not a text column`);
  const converted = Array.from({ length: dictionary.size }, (_, code) => convert(dictionary.at(code), derivation));
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
  as: Derivation['as'],
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
