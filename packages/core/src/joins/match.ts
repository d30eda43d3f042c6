import type { Column, Value } from '../features/column.ts';
import { codesIn } from '../features/dictionary.ts';
import { columnNamed, type FeatureTable } from '../features/table.ts';
import { FilterError } from '../filters/filter_error.ts';
import { nearestName } from '../filters/nearest_name.ts';
import { EXACTLY, keyAsWritten, keysOf, LIKENESSES, type Keys, type Likeness } from './keys.ts';

/** Two columns that hold the same key. */
export interface KeyPair {
  /** Of the source that gets columns. */
  own: string;
  /** Of the table that they come from. */
  other: string;
}

/** The rows of a source and of a table, brought together by their keys. */
export interface Match {
  own: Keys;
  other: Keys;
  /** For each key of the source the number of the table's key; -1 where the table has none. */
  partnerOf: Int32Array;
  /** The rows of the table's key `k` are `rowsOf[starts[k] .. starts[k + 1])`, ascending. */
  starts: Uint32Array;
  rowsOf: Uint32Array;
}

/**
 * Brings a source and a table together.
 * @param pairs one at least
 * @throws FilterError where a column is not there
 */
export function matchTables(own: FeatureTable, other: FeatureTable, pairs: readonly KeyPair[], like: Likeness): Match {
  const mine = keysOf(
    pairs.map((pair) => keyColumn(own, pair.own)),
    own.rows,
    like,
  );
  const theirs = keysOf(
    pairs.map((pair) => keyColumn(other, pair.other)),
    other.rows,
    like,
  );
  const { starts, rowsOf } = rowsByKey(theirs);
  return { own: mine, other: theirs, partnerOf: partners(mine, theirs), starts, rowsOf };
}

function keyColumn(table: FeatureTable, name: string): Column {
  const column = columnNamed(table, name);
  if (column) return column;
  const near = nearestName(
    name,
    table.columns.map((one) => one.name),
  );
  throw new FilterError(`There is no column ${name} to join by`, null, near && `Did you mean ${near}?`);
}

function partners(own: Keys, other: Keys): Int32Array {
  const out = new Int32Array(own.size);
  const [mine, theirs] = [own.codes && own.columns[0].dictionary, other.codes && other.columns[0].dictionary];
  if (own.codes && other.codes && mine && theirs) {
    // Both dictionaries ascend: they are gone through side by side, and no text is decoded.
    const keyOfCode = new Int32Array(theirs.size).fill(-1);
    for (let key = 0; key < other.size; key++) keyOfCode[other.codes[key]] = key;
    const codes = codesIn(mine, theirs);
    for (let key = 0; key < own.size; key++) {
      const code = codes[own.codes[key]];
      out[key] = code < 0 ? -1 : keyOfCode[code];
    }
    return out;
  }
  const numbers = numbersOf(other);
  for (let key = 0; key < own.size; key++) out[key] = numbers.get(own.textOf(key)) ?? -1;
  return out;
}

/** Where many columns are tried, each is looked up in again and again. */
const known = new WeakMap<Keys, Map<string, number>>();

/** The number of each key by its text. */
function numbersOf(keys: Keys): Map<string, number> {
  let numbers = known.get(keys);
  if (!numbers) {
    known.set(keys, (numbers = new Map<string, number>()));
    for (let key = 0; key < keys.size; key++) numbers.set(keys.textOf(key), key);
  }
  return numbers;
}

function rowsByKey({ keyOf, size }: Keys): { starts: Uint32Array; rowsOf: Uint32Array } {
  const starts = new Uint32Array(size + 1);
  for (let row = 0; row < keyOf.length; row++) if (keyOf[row] >= 0) starts[keyOf[row] + 1]++;
  for (let key = 0; key < size; key++) starts[key + 1] += starts[key];
  const rowsOf = new Uint32Array(starts[size]);
  const next = starts.slice();
  for (let row = 0; row < keyOf.length; row++) if (keyOf[row] >= 0) rowsOf[next[keyOf[row]]++] = row;
  return { starts, rowsOf };
}

/** A key as it is written, and how many rows have it. */
export interface KeyExample {
  key: Value[];
  rows: number;
}

/** How a source and a table fit together, told before anything is joined. */
export interface MatchReport {
  /** The source: its rows with a partner, without a key because a part of it is blank, and with a key that the table has not. */
  own: { rows: number; matched: number; blank: number; without: number; examples: KeyExample[] };
  /** The table: its rows that become a partner, and the others alike. */
  other: { rows: number; used: number; blank: number; without: number; examples: KeyExample[] };
  /** Keys that several rows of the table have, those rows, and the rows of the source that have such a key. */
  several: { keys: number; rows: number; own: number; examples: KeyExample[] };
}

/** What more would match if keys were compared less strictly in one way. */
export interface LikenessOffer {
  like: keyof Likeness;
  /** Rows of the source that would find a partner besides. */
  matched: number;
  /** Keys that would stand in several rows of the table, in all. */
  several: number;
}

/** So many keys are told of each kind, the most frequent first. */
const EXAMPLES = 8;

/** Tells how a source and a table fit together. */
export function matchReport(match: Match): MatchReport {
  const { own, other, partnerOf } = match;
  const [ownRows, otherRows] = [rowsPerKey(own), rowsPerKey(other)];
  const hit = new Uint8Array(other.size);
  for (const partner of partnerOf) if (partner >= 0) hit[partner] = 1;
  const isSeveral = (key: number) => otherRows[key] > 1;
  const [matched, used] = [matchedRows(match), sumOf(otherRows, (key) => hit[key] === 1)];
  const [ownKeyed, otherKeyed] = [sumOf(ownRows, () => true), sumOf(otherRows, () => true)];
  return {
    own: {
      ...{ rows: own.keyOf.length, matched, blank: own.keyOf.length - ownKeyed, without: ownKeyed - matched },
      examples: examples(own, ownRows, (key) => partnerOf[key] < 0),
    },
    other: {
      ...{ rows: other.keyOf.length, used, blank: other.keyOf.length - otherKeyed, without: otherKeyed - used },
      examples: examples(other, otherRows, (key) => hit[key] === 0),
    },
    several: {
      keys: severalKeys(match),
      rows: sumOf(otherRows, isSeveral),
      own: sumOf(ownRows, (key) => partnerOf[key] >= 0 && isSeveral(partnerOf[key])),
      examples: examples(other, otherRows, isSeveral),
    },
  };
}

/** The ways of comparing keys less strictly that would bring more rows together, each alone, those that help most first. */
export function likenessOffers(own: FeatureTable, other: FeatureTable, pairs: readonly KeyPair[], like: Likeness): LikenessOffer[] {
  const matched = matchedRows(matchTables(own, other, pairs, like));
  const offers = LIKENESSES.filter((one) => !like[one]).map((one): LikenessOffer => {
    const looser = matchTables(own, other, pairs, { ...like, [one]: true });
    return { like: one, matched: matchedRows(looser) - matched, several: severalKeys(looser) };
  });
  return offers.filter((offer) => offer.matched > 0).sort((a, b) => b.matched - a.matched);
}

const matchedRows = ({ own, partnerOf }: Match): number => sumOf(rowsPerKey(own), (key) => partnerOf[key] >= 0);
const severalKeys = ({ starts }: Match): number =>
  starts.reduce((sum, start, key) => sum + (key > 0 && start - starts[key - 1] > 1 ? 1 : 0), 0);

function rowsPerKey({ keyOf, size }: Keys): Uint32Array {
  const rows = new Uint32Array(size);
  for (const key of keyOf) if (key >= 0) rows[key]++;
  return rows;
}

function sumOf(rows: Uint32Array, counts: (key: number) => boolean): number {
  let sum = 0;
  for (let key = 0; key < rows.length; key++) if (counts(key)) sum += rows[key];
  return sum;
}

function examples(keys: Keys, rows: Uint32Array, wanted: (key: number) => boolean): KeyExample[] {
  const found: number[] = [];
  for (let key = 0; key < rows.length; key++) {
    if (!wanted(key)) continue;
    const at = found.findIndex((one) => rows[one] < rows[key]);
    if (at >= 0) found.splice(at, 0, key);
    else if (found.length < EXAMPLES) found.push(key);
    found.length = Math.min(found.length, EXAMPLES);
  }
  return found.map((key) => ({ key: keyAsWritten(keys, key), rows: rows[key] }));
}

/** Of a very wide table only so many columns are tried. */
const MOST_TRIED = 40;
/** So large a share of the rows has to find a partner. */
const LEAST = 0.2;

/** Pairs of columns that probably hold the same key, the likeliest first: those that bring most rows together. */
export function likelyPairs(own: FeatureTable, other: FeatureTable): KeyPair[] {
  const keysFor = (table: FeatureTable) =>
    table.columns
      .filter(({ type }) => type !== 'datetime' && type !== 'boolean')
      .slice(0, MOST_TRIED)
      .map((column) => ({ name: column.name, keys: keysOf([column], table.rows, EXACTLY) }));
  const theirs = keysFor(other);
  const found = keysFor(own).flatMap(({ name, keys }) => {
    const rows = rowsPerKey(keys);
    return theirs.map((candidate) => {
      const partnerOf = partners(keys, candidate.keys);
      const shared = partnerOf.reduce((sum, partner) => sum + (partner < 0 ? 0 : 1), 0);
      const share = sumOf(rows, (key) => partnerOf[key] >= 0) / Math.max(1, own.rows);
      // Numbers meet numbers by chance: of the table's own keys too many have to meet, and columns of one name do so rather than others.
      const named = candidate.name.toLowerCase() === name.toLowerCase() ? 3 : 1;
      return { own: name, other: candidate.name, share, worth: (share * named * shared) / Math.max(1, candidate.keys.size) };
    });
  });
  return found
    .filter(({ share }) => share >= LEAST)
    .sort((a, b) => b.worth - a.worth)
    .map(({ own: mine, other: its }) => ({ own: mine, other: its }));
}
