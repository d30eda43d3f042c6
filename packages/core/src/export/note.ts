import type { FeatureKey } from '../engine/source_engine.ts';
import type { AreaShape } from '../filters/areas.ts';
import type { Derivation, JoinedDerivation, PlacedDerivation, ZonedDerivation } from '../derive/derivation.ts';
import type { SeveralRows } from '../joins/joined_column.ts';
import { LIKENESSES, LIKENESS_IN_WORDS } from '../joins/keys.ts';
import { figureInWords } from '../zones/figure_words.ts';
import { alikeInWords, typedInWords } from '../derive/derivation_words.ts';
import type { Group } from '../filters/tree.ts';
import type { ColumnType } from '../features/column.ts';
import { dayInWords } from '../filters/phrases.ts';
import { printFilter } from '../filters/printer.ts';
import { escaped } from '../formats/markup.ts';
import type { Style } from '../styles/style.ts';
import type { CutReport } from '../sifting/cut.ts';
import type { ColumnChoice, ShapeChoice } from './recipe.ts';

/** A source that features were taken from, or that conditions speak of. */
export interface NoteSource {
  /** By which columns of others tell what they are made from. */
  id?: number;
  name: string;
  file: string;
  layer: string | null;
  format: string;
  /** SHA-256 of the file, in hexadecimal; null for a source that was not a file. */
  sha256: string | null;
  takenAt: string;
  /** Of features of a service or a database: where they came from, by which conditions (CQL2 text), and how many. */
  fetched?: {
    address: string;
    collection: string;
    filter: string | null;
    leftOut: string[];
    askedAt: string;
    /** What was said there that would come; null where nothing was said. */
    matched: number | null;
    came: number;
    /** Whether it was not stored but asked when it was wanted. */
    live: boolean;
  };
  rows: number;
  crs: { name: string; label: string };
  /** The geometry that was used: as it came, or with invalid shapes repaired. */
  shapes: 'original' | 'repaired';
  notes: string[];
  derived: { name: string; derivation: Derivation }[];
  /** What was said of the file where it does not say itself. */
  reading: { crs: string | null; longitude: string | null; latitude: string | null; wkt: string | null; bare?: boolean };
}

/** A column of a layer in a note. */
export interface NoteColumn {
  name: string;
  /** The column that it comes from; null for one that was added. */
  from: string | null;
  type: ColumnType;
  unit: string;
  title: string | null;
  description: string | null;
  blanks: number;
  codeList: string | null;
  codes: ColumnChoice['codes'];
}

/** What identifies the content of a layer, whatever the format of its file. */
export interface LayerDigest {
  rows: number;
  /** SHA-256 of the values of each column, in hexadecimal, and of the shapes. */
  columns: Record<string, string>;
  shapes: string | null;
}

/** How features came to be picked, unless something else is said. */
export const PICKED_BY_HAND = 'picked by hand';

/** A layer in a note: what was kept of which source, by which conditions, and how it was written. */
export interface NoteLayer {
  name: string;
  source: string;
  kept: number;
  of: number;
  sentence: string;
  conditions: string[];
  /** CQL2 text; null when nothing narrows. */
  filter: string | null;
  tree: Group;
  /** Rows of the source picked by hand, of those that are kept; null for all. */
  picks: readonly FeatureKey[] | null;
  columns: NoteColumn[];
  choices: ColumnChoice[];
  shape: ShapeChoice;
  crs: { name: string; label: string };
  ownCrs: boolean;
  order: { column: string; descending: boolean } | null;
  cut: { condition: string; tolerance: number; report: CutReport } | null;
  /** What was dropped, cut, renamed or repaired. */
  remarks: string[];
  /** How it was drawn when it was handed over, with what each colour meant; null: in one colour. */
  drawn?: { style: Style | null; legend: { label: string; colour: string }[] } | null;
  digest: LayerDigest;
}

/** Everything that tells what an extract is and how to make it again. */
export interface ExtractNote {
  note: 'Clean Sieve extract';
  version: 1;
  title: string;
  madeAt: string;
  asOf: string;
  format: string;
  formatLabel: string;
  coordinates: 'columns' | 'wkt' | null;
  guarded: boolean;
  zip: boolean;
  layers: NoteLayer[];
  sources: NoteSource[];
  areas: { name: string; shape: AreaShape; text: string }[];
  sieves: { id?: number; name: string; source: string; tree: Group; text: string | null }[];
  codeLists: { name: string; entries: [string, string][] }[];
}

const count = (value: number) => value.toLocaleString('en-GB');
const day = (iso: string) => dayInWords(iso.slice(0, 10));

const SHAPES_IN_WORDS: Record<ShapeChoice['kind'], string> = {
  'as-is': 'as they are',
  centroid: 'centroids',
  inside: 'a point surely inside each',
  buffer: 'widened',
  simplify: 'simplified',
  none: 'left out',
};

/** What becomes of the shapes, as a note says it. */
export function shapeChoiceInWords(choice: ShapeChoice): string {
  const metres = 'metres' in choice ? choice.metres.toLocaleString('en-GB') : '';
  if (choice.kind === 'buffer') return `everything within ${metres} m of each`;
  if (choice.kind === 'simplify') return `simplified with a tolerance of ${metres} m`;
  return SHAPES_IN_WORDS[choice.kind];
}

const TYPES: Record<ColumnType, string> = { number: 'number', text: 'text', boolean: 'yes/no', date: 'date', datetime: 'date and time' };

type Block = { heading: string } | { text: string } | { list: string[] } | { table: string[][] } | { code: string };

/** When features came, and from whom. */
function cameInWords({ takenAt, fetched }: NoteSource): string {
  if (!fetched) return `brought in on ${day(takenAt)}`;
  const { address, askedAt, filter, matched, came, live } = fetched;
  const at = `${day(askedAt)} at ${askedAt.slice(11, 16)} UTC`;
  const said = matched === null ? '' : ` of ${count(matched)} that it said would come`;
  const by = filter === null ? '' : `, asked for by ${filter}`;
  return `${live ? `live, asked at ${address} on ${at}` : `fetched from ${address} on ${at}`}: ${count(came)} came${said}${by}`;
}

/** The note as blocks that each way of writing lays out. */
function blocksOf(note: ExtractNote): Block[] {
  const blocks: Block[] = [
    {
      text: `Made on ${day(note.madeAt)} at ${note.madeAt.slice(11, 16)} UTC, as ${note.formatLabel}. It is a copy: it does not follow later changes of its sources. Relative dates count from ${day(note.asOf)}.`,
    },
  ];
  for (const layer of note.layers) {
    blocks.push({ heading: note.layers.length > 1 ? layer.name : 'What it holds' });
    blocks.push({ text: `${count(layer.kept)} of ${count(layer.of)} features of ${layer.source}: ${layer.sentence}.` });
    if (layer.conditions.length > 0) blocks.push({ list: layer.conditions });
    if (layer.filter !== null) blocks.push({ text: 'The same in CQL2 (OGC 21-065r2):' }, { code: layer.filter });
    const order = layer.order ? ` Rows are ordered by ${layer.order.column}${layer.order.descending ? ', falling' : ''}.` : '';
    const system = layer.shape.kind === 'none' ? '' : ` Coordinates: ${layer.crs.label} (${layer.crs.name}).`;
    blocks.push({ text: `Shapes: ${shapeChoiceInWords(layer.shape)}.${system}${order}` });
    if (layer.remarks.length > 0) blocks.push({ text: 'What was changed on the way:' }, { list: layer.remarks });
    if (layer.drawn && layer.drawn.legend.length > 0)
      blocks.push(
        { text: 'How it was drawn on the map; the whole style is in the JSON form of this note:' },
        { table: [['Colour', 'Meaning'], ...layer.drawn.legend.map(({ label, colour }) => [colour, label])] },
      );
    blocks.push({
      table: [
        ['Column', 'Type', 'Unit', 'Blanks', 'Meaning'],
        ...layer.columns.map(({ name, from, type, unit, title, description, blanks, codeList, codes }) => [
          from !== null && from !== name ? `${name} (was ${from})` : name,
          TYPES[type],
          unit,
          count(blanks),
          [
            title,
            description,
            codeList && codes !== 'meaning' ? `codes of the list ${codeList}` : null,
            codeList && codes === 'meaning' ? `meanings by the list ${codeList}` : null,
          ]
            .filter(Boolean)
            .join('; '),
        ]),
      ],
    });
  }
  if (note.areas.length > 0) {
    blocks.push({ heading: 'Areas' });
    for (const { name, text } of note.areas) blocks.push({ text: `${name}:` }, { code: text });
  }
  if (note.sieves.length > 0) {
    blocks.push({ heading: 'Sieves that conditions speak of' });
    for (const { name, source, text } of note.sieves) blocks.push({ text: `${name}, of ${source}:` }, { code: text ?? 'every feature' });
  }
  blocks.push({ heading: 'Sources' });
  for (const source of note.sources) {
    blocks.push({
      text: `${source.name}: ${count(source.rows)} features of ${source.file}${source.layer ? `, layer ${source.layer}` : ''} (${source.crs.label}), ${cameInWords(source)}.${source.shapes === 'repaired' ? ' Invalid shapes were repaired.' : ''}${source.sha256 && !source.fetched ? ` SHA-256 of the file: ${source.sha256}.` : ''}`,
    });
    const derived = source.derived.map(({ name, derivation }) => `${name} is ${inNote(derivation)}`);
    if (source.notes.length + derived.length > 0) blocks.push({ list: [...source.notes, ...derived] });
  }
  for (const { name, entries } of note.codeLists)
    blocks.push({ heading: `Code list ${name}` }, { table: [['Code', 'Meaning'], ...entries] });
  blocks.push({ heading: 'To make it again' });
  blocks.push({ text: 'With the JSON form of this note and the files of the sources:' });
  blocks.push({ code: `./clean-sieve run NOTE.json ${[...new Set(note.sources.map(({ file }) => file))].join(' ')}` });
  return blocks;
}

/** Marks that Markdown would take for its own. */
const plain = (text: string) => text.replaceAll(/[\\`*_{}[\]<>#|~]/g, '\\$&').replaceAll('\n', ' ');

/** The note as Markdown (CommonMark, with the tables that most readers know). */
export function noteMarkdown(note: ExtractNote): string {
  const lines = [`# ${plain(note.title)}`, ''];
  for (const block of blocksOf(note)) {
    if ('heading' in block) lines.push(`## ${plain(block.heading)}`);
    else if ('text' in block) lines.push(plain(block.text));
    else if ('list' in block) lines.push(...block.list.map((item) => `- ${plain(item)}`));
    else if ('code' in block) lines.push(...block.code.split('\n').map((line) => `    ${line}`));
    else {
      const [head, ...rows] = block.table.map((cells) => `| ${cells.map(plain).join(' | ')} |`);
      lines.push(head, `|${' --- |'.repeat(block.table[0].length)}`, ...rows);
    }
    lines.push('');
  }
  return lines.join('\n');
}

const STYLE =
  'body{font:15px/1.5 "Source Sans 3",system-ui,sans-serif;color:#22302b;background:#fffdf7;max-width:56rem;margin:2rem auto;padding:0 1.5rem}h1,h2{color:#2c5b4b;line-height:1.2}h2{margin-top:2rem;font-size:1.15rem}table{border-collapse:collapse;width:100%}th,td{text-align:left;vertical-align:top;padding:.3rem .8rem .3rem 0;border-bottom:1px solid #d9d1c0}pre{background:#ebe5d7;padding:.7rem 1rem;border-radius:6px;white-space:pre-wrap;overflow-wrap:anywhere;font:13px/1.5 "IBM Plex Mono",monospace}';

/** The note as a page that needs nothing beside itself. */
export function noteHtml(note: ExtractNote): string {
  const row = (cells: string[], tag: 'td' | 'th') => `<tr>${cells.map((cell) => `<${tag}>${escaped(cell)}</${tag}>`).join('')}</tr>`;
  const body = blocksOf(note).map((block) => {
    if ('heading' in block) return `<h2>${escaped(block.heading)}</h2>`;
    if ('text' in block) return `<p>${escaped(block.text)}</p>`;
    if ('list' in block) return `<ul>${block.list.map((item) => `<li>${escaped(item)}</li>`).join('')}</ul>`;
    if ('code' in block) return `<pre>${escaped(block.code)}</pre>`;
    const [head, ...rows] = block.table;
    return `<table>${row(head, 'th')}${rows.map((cells) => row(cells, 'td')).join('')}</table>`;
  });
  return `<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>${escaped(note.title)}</title><style>${STYLE}</style></head>\n<body><h1>${escaped(note.title)}</h1>\n${body.join('\n')}\n</body></html>\n`;
}

/** How the content of a layer made again differs from what its note says; empty when it is identical. */
function digestDifferences(before: LayerDigest, now: LayerDigest): string[] {
  const differences: string[] = [];
  if (before.rows !== now.rows) differences.push(`${count(now.rows)} features instead of ${count(before.rows)}`);
  const names = new Set([...Object.keys(before.columns), ...Object.keys(now.columns)]);
  for (const name of names) {
    if (!(name in now.columns)) differences.push(`the column ${name} is missing`);
    else if (!(name in before.columns)) differences.push(`the column ${name} is new`);
    else if (before.rows === now.rows && before.columns[name] !== now.columns[name]) differences.push(`values of ${name} differ`);
  }
  if (before.rows === now.rows && before.shapes !== now.shapes) differences.push('shapes differ');
  return differences;
}

/** How layers made again differ from those that a note tells of, each by its name where there are several. */
export function layerDifferences(before: readonly NoteLayer[], now: readonly LayerDigest[]): string[] {
  return before.flatMap((layer, i) => {
    const lead = before.length > 1 ? `${layer.name}: ` : '';
    return now[i] ? digestDifferences(layer.digest, now[i]).map((text) => lead + text) : [`${layer.name} is missing`];
  });
}

/**
 * How an extract made again differs from the one that a note tells of: in what it holds, and then why, as far as that is
 * known: sources, areas, sieves and code lists that have changed since. Empty when it holds the same.
 */
export function noteDifferences(before: ExtractNote, now: ExtractNote): string[] {
  const differences = layerDifferences(
    before.layers,
    now.layers.map(({ digest }) => digest),
  );
  if (differences.length === 0) return [];
  const changed = <T extends { name: string }>(what: string, mine: readonly T[], theirs: readonly T[], key: (one: T) => unknown) =>
    mine.flatMap((one) => {
      const other = theirs.find(({ name }) => name === one.name);
      return other && JSON.stringify(key(one)) === JSON.stringify(key(other)) ? [] : [`${what} ${one.name} has changed since`];
    });
  return [
    ...differences,
    ...changed('the source', before.sources, now.sources, ({ sha256, takenAt, shapes, derived }) => [sha256, takenAt, shapes, derived]),
    ...changed('the area', before.areas, now.areas, ({ shape }) => shape),
    ...changed('the sieve', before.sieves, now.sieves, ({ text }) => text),
    ...changed('the code list', before.codeLists, now.codeLists, ({ entries }) => entries),
  ];
}

function inNote(derivation: Derivation): string {
  if (derivation.kind === 'joined') return joinedInNote(derivation);
  if (derivation.kind === 'zoned') return zonedInNote(derivation);
  if (derivation.kind === 'placed') return placedInNote(derivation);
  if (derivation.kind === 'alike') return alikeInWords(derivation);
  // Of the first notes a derivation does not say its kind: it is read as a type.
  if (derivation.kind !== 'computed') return typedInWords(derivation);
  const { expr, unit, asOf } = derivation;
  return `${printFilter(expr)}${unit === null ? '' : `, in ${unit}`}${asOf === null ? '' : `, as of ${dayInWords(asOf)}`}`;
}

const SEVERAL_IN_WORDS: Record<SeveralRows, string> = {
  refuse: '',
  first: ', the first row of each key',
  count: '',
  sum: ', the sum of the rows of each key',
  mean: ', the mean of the rows of each key',
  min: ', the smallest of the rows of each key',
  max: ', the largest of the rows of each key',
};

function joinedInNote({ table, pairs, like, column, several, behind }: JoinedDerivation): string {
  const keys = pairs.map(({ own, other }) => `${own} = ${other}`).join(' and ');
  const loosely = LIKENESSES.filter((one) => like[one]).map((one) => LIKENESS_IN_WORDS[one]);
  const what = several === 'count' ? `the number of rows of ${table}` : `${column} of ${table}`;
  const without = loosely.length > 0 ? `, compared without regard to ${loosely.join(', ')}` : '';
  return `${what} where ${keys}${SEVERAL_IN_WORDS[several]}${without}${behind ? `; values of an earlier state, because: ${behind}` : ''}`;
}

const zonedInNote = ({ called, figure, unit, behind }: ZonedDerivation): string =>
  `${figureInWords(figure, called)}${unit === undefined ? '' : `, in ${unit}`}${behind ? `; values of an earlier state, because: ${behind}` : ''}`;

function placedInNote({ table, by, most, column, behind }: PlacedDerivation): string {
  const within = most === null ? '' : ` within ${count(most)} m`;
  const which = by === 'within' ? `the first feature of ${table} that it meets` : `the nearest feature of ${table}${within}`;
  const what = column === null ? `the distance to ${which}, in metres on the ellipsoid` : `${column} of ${which}`;
  return `${what}${behind ? `; values of an earlier state, because: ${behind}` : ''}`;
}
