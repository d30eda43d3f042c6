import {
  idOf,
  named,
  areasIn,
  exprOfTree,
  formatDay,
  GEOMETRY_NAME,
  nearInWords,
  operandsIn,
  makeTable,
  PICKED_BY_HAND,
  printFilter,
  ReadError,
  sampledOf,
  treeInWords,
  unitInName,
  unitOfDerivation,
  valueAt,
  writtenFormatNamed,
  type CutReport,
  type Derivation,
  type Expr,
  type ExtractNote,
  type Group,
  type MadeReport,
  type NamedDerivation,
  type NoteColumn,
  type NoteLayer,
  type NoteSource,
  type Recipe,
  type WrittenFormat,
  type WrittenLayer,
} from '@clean-sieve/core';
import type { ExtractLayer, ExtractRequest, FetchedFrom } from '../api/contract.ts';
import { crsNamed, wktOf } from '../crs/epsg.ts';
import { Area, CodeList, Sieve, Source, type SourceRow } from '../store/entities.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { directory, meaningsOf, wordingOf } from '../workspace_state.ts';
import { digestOf } from './digest.ts';
import { isFromElsewhere } from '../jobs/column_states.ts';
import { openSources } from '../sifting/named_operands.ts';
import { cutInWords, type Report } from './kept.ts';
import { geos, keptRows } from './kept_of_source.ts';
import { keptOfWhole, type AskedWhole } from './kept_of_whole.ts';

export interface MadeLayers {
  layers: WrittenLayer[];
  note: ExtractNote;
  /** What cutting did, where one layer was cut. */
  cut: CutReport | null;
}

/** The layers of an extract as they are to be written, with the note that tells how they came to be. */
export async function makeLayers(orm: Store, request: ExtractRequest, asOf: number, made: Date, report: Report): Promise<MadeLayers> {
  const em = entities(orm);
  const format = writtenFormatNamed(request.format);
  const codeLists = await em.find(CodeList, {});
  // Several layers of one source open it once.
  const open = await openSources(orm, asOf, await geos.get());
  const layers: WrittenLayer[] = [];
  const noted: NoteLayer[] = [];
  let cut: CutReport | null = null;
  const used = new Set<number>();
  const wholes = new Map<number, AskedWhole>();
  for (const [i, asked] of request.layers.entries()) {
    const part: Report = (share, words) => report((i + share) / request.layers.length, words);
    part(0, `Sifting ${asked.name}`);
    const source = await em.findOne(Source, { id: asked.sourceId }, { populate: ['columns'] });
    if (!source) throw new ReadError(`The source of ${asked.name} is gone`, 'Bring it in again and hand it over anew');
    used.add(source.id);
    const limited = limitedTo(asked, request.within);
    const wanted = { ...limited, picks: asked.picks };
    const isSample = sampledOf(source.fetchedFrom ?? null) !== null;
    const whole = isSample ? await keptOfWhole(orm, open, source, { keeping: wanted, asOf }, part) : null;
    if (whole) wholes.set(source.id, whole.asked);
    const { kept, near } = whole ? { ...whole, near: [] } : await keptRows(open, source.id, wanted, part);
    const meanings = meaningsOf(source, codeLists);
    const recipe = recipeOf(
      asked,
      format,
      kept.table.columns.map(({ name }) => name),
      source,
    );
    const {
      table,
      rows,
      report: how,
    } = makeTable(kept.table, kept.rows, recipe, meanings, await geos.get(), (done) =>
      part(0.3 + (0.5 * done) / Math.max(1, kept.rows.length), `${asked.name}: ${done.toLocaleString('en-GB')} shapes made`),
    );
    cut ??= kept.cut;
    const columns = noteColumns(table, rows, recipe, source, codeLists);
    const layer: WrittenLayer = {
      name: asked.name,
      description: null,
      table,
      rows,
      shapes: recipe.shape.kind !== 'none',
      about: new Map(columns.map(({ name, title, description }) => [name, { title, description }])),
      colour: asked.colour,
      wkt: wktOf(table.crs),
      coordinates: request.coordinates,
      guarded: request.guarded,
      made,
    };
    const wording = wordingOf(source, codeLists, asOf);
    const expr = exprOfTree(limited.tree);
    const keeping = treeInWords(limited.tree, wording) || 'every feature';
    const sentence = asked.picks ? `${keeping}, only those ${asked.pickedAs ?? PICKED_BY_HAND}` : keeping;
    layer.description = `${rows.length} of ${kept.of} features of ${source.name}: ${sentence}`;
    layers.push(layer);
    noted.push({
      name: asked.name,
      source: nameInNote(source),
      kept: rows.length,
      of: kept.of,
      sentence,
      conditions: conditionsInWords(limited.tree, wording),
      filter: expr === null ? null : printFilter(expr),
      tree: limited.tree,
      picks: asked.picks,
      columns,
      choices: [...recipe.columns],
      shape: recipe.shape,
      crs: { name: table.crs.name, label: table.crs.label },
      ownCrs: recipe.crs === null,
      order: recipe.order,
      cut: limited.cut && kept.cut ? { ...limited.cut, report: kept.cut } : null,
      remarks: [
        ...(kept.cut && limited.cut ? [cutInWords(kept.cut, limited.cut.tolerance)] : []),
        ...near.map((one) => `${nearInWords(one)} It was asked for at ${one.askedAt}.`),
        ...remarksOf(how, recipe, columns),
        ...(format.writing.losses?.(layer) ?? []).map(({ text }) => text),
      ],
      drawn: asked.drawn ?? null,
      digest: digestOf(layer),
    });
  }
  return { layers, cut, note: await noteOf(em, request, format, asOf, made, noted, used, codeLists, wholes) };
}

/** The layer with the condition that it meets the area, and cut to that if asked. */
export function limitedTo(asked: ExtractLayer, within: ExtractRequest['within']): Pick<ExtractLayer, 'tree' | 'cut'> {
  if (!within) return asked;
  const id = 'within';
  const expr: Expr = { op: 's_intersects', args: [{ property: GEOMETRY_NAME }, { op: 'AREA', args: [within.area] }] };
  const tree: Group = {
    kind: 'group',
    id: 'limited',
    combine: 'all',
    children: [...(asked.tree.combine === 'all' && !asked.tree.off ? asked.tree.children : [asked.tree]), { kind: 'condition', id, expr }],
  };
  return { tree, cut: within.cut ? { condition: id, tolerance: within.tolerance } : asked.cut };
}

/** Columns that conditions show and cuts add follow those that were chosen. */
export function recipeOf(asked: ExtractLayer, { writing }: WrittenFormat, present: string[], source: SourceRow): Recipe {
  const known = new Set(source.columns.getItems().map((column) => column.name));
  const added = present.filter((column) => !known.has(column)).map((column) => ({ name: column, as: column, codes: 'code' as const }));
  const lonLat = writing.lonLatOnly || (asked.crs === null && writing.cells !== undefined);
  const crs = lonLat ? 'OGC:CRS84' : asked.crs;
  return {
    columns: [...asked.columns, ...added.filter(({ name: column }) => !asked.columns.some((choice) => choice.name === column))],
    shape: asked.shape,
    crs: crs === null ? null : crsNamed(crs),
    order: asked.order,
  };
}

function conditionsInWords(tree: Group, wording: Parameters<typeof treeInWords>[1]): string[] {
  const nodes = tree.combine === 'all' ? tree.children : [tree];
  return nodes.map((node) => treeInWords(node, wording)).filter((text) => text !== '');
}

function noteColumns(
  table: WrittenLayer['table'],
  rows: Uint32Array,
  { columns }: Recipe,
  source: SourceRow,
  codeLists: readonly { id: number; name: string }[],
): NoteColumn[] {
  const known = source.columns.getItems();
  return table.columns.map((column): NoteColumn => {
    const choice = columns.find(({ as, codes }) => as === column.name || (codes === 'both' && `${as}_meaning` === column.name));
    const of = known.find(({ name }) => name === choice?.name);
    const blanks = rows.reduce((sum, row) => sum + ([null, ''].includes(valueAt(column, row) as string | null) ? 1 : 0), 0);
    const meaning = choice?.codes === 'meaning' || (choice?.codes === 'both' && choice.as !== column.name);
    return {
      name: column.name,
      from: of?.name ?? null,
      type: column.type,
      unit: unitOfDerivation(of?.derivation ?? null) ?? unitInName(of?.name ?? column.name),
      title: of?.title ?? null,
      description: of?.description ?? null,
      blanks,
      codeList: codeLists.find(({ id }) => id === of?.codeList?.id)?.name ?? null,
      codes: meaning ? 'meaning' : 'code',
    };
  });
}

/** What making the layer dropped, renamed or left open. */
function remarksOf({ unmeant, error, lost, flattened }: MadeReport, { columns }: Recipe, noted: NoteColumn[]): string[] {
  const count = (value: number) => value.toLocaleString('en-GB');
  const renamed = columns.filter(({ name, as }) => name !== as).map(({ name, as }) => `${name} is called ${as}`);
  return [
    ...(renamed.length > 0 ? [`Columns renamed: ${renamed.join(', ')}`] : []),
    ...unmeant.map(
      ({ column, values }) =>
        `${count(values)} values of ${column} have no meaning in ${noted.find(({ from }) => from === column)?.codeList ?? 'its code list'} and stay as codes`,
    ),
    ...(error === null ? [] : [`Edges of the widened shapes lie at most ${error.toPrecision(2)} m from the true ones`]),
    ...(lost > 0 ? [`${count(lost)} shapes had nothing left and are missing`] : []),
    ...(flattened > 0 ? [`Heights of ${count(flattened)} shapes are left out`] : []),
  ];
}

/** What the format cannot hold as it is. */
async function noteOf(
  em: Entities,
  request: ExtractRequest,
  format: WrittenFormat,
  asOf: number,
  made: Date,
  layers: NoteLayer[],
  used: Set<number>,
  codeLists: readonly { name: string; entries: [string, string][] }[],
  wholes: ReadonlyMap<number, AskedWhole>,
): Promise<ExtractNote> {
  const allAreas = await em.find(Area, {});
  const names = await directory(em);
  const allSieves = (await em.find(Sieve, {}, { populate: ['source'] })).map(({ id, source, tree }) => ({
    ...{ id, source, name: names.SIEVE.get(id) },
    tree: named(tree, names),
  }));
  const areas = new Set<string>();
  const sieves = new Set<string>();
  // Sieves that conditions speak of can speak of others.
  const look = async (tree: Group): Promise<void> => {
    const expr = exprOfTree(tree);
    if (expr === null) return;
    areasIn(expr).forEach((name) => areas.add(name));
    for (const {
      op,
      args: [name],
    } of operandsIn(expr)) {
      if (op === 'SOURCE') used.add(idOf(names.SOURCE, name)!);
      else if (!sieves.has(name)) {
        sieves.add(name);
        const sieve = allSieves.find((one) => one.name === name);
        if (sieve) {
          used.add(sieve.source.id);
          await look(sieve.tree);
        }
      }
    }
  };
  for (const { tree } of layers) await look(tree);
  let sources = await withJoined(em, used);
  // Sieves that figures are of can be about other sources, of which columns can be figures again.
  for (let before = -1; before !== sieves.size + used.size;) {
    before = sieves.size + used.size;
    for (const { derivation } of sources.flatMap(derivedOf)) {
      if (derivation.kind !== 'zoned' || derivation.sieve === null) continue;
      const sieve = allSieves.find(({ id }) => id === derivation.sieve);
      if (sieve?.name === undefined || sieves.has(sieve.name)) continue;
      sieves.add(sieve.name);
      await look(sieve.tree);
    }
    sources = await withJoined(em, used);
  }
  const called = (id: number) => sources.find((source) => source.id === id)?.name;
  const lists = new Set(layers.flatMap(({ columns }) => columns.flatMap(({ codeList }) => codeList ?? [])));
  return {
    note: 'Clean Sieve extract',
    version: 1,
    title: request.title,
    madeAt: made.toISOString(),
    asOf: formatDay(asOf),
    format: format.name,
    formatLabel: format.label,
    coordinates: request.coordinates,
    guarded: request.guarded,
    zip: request.zip,
    layers,
    sources: sources.map((source) => noteSource(source, called, (id) => names.SIEVE.get(id), wholes.get(source.id))),
    areas: allAreas.filter(({ name }) => areas.has(name)).map(({ name, shape }) => ({ name, shape, text: printFilter(shape as Expr) })),
    sieves: allSieves.flatMap(({ id, name, source, tree }) => {
      if (name === undefined || !sieves.has(name)) return [];
      const expr = exprOfTree(tree);
      return [{ id, name, source: source.name, tree, text: expr === null ? null : printFilter(expr) }];
    }),
    codeLists: codeLists.filter(({ name }) => lists.has(name)).map(({ name, entries }) => ({ name, entries })),
  };
}

/** Other versions of a source bear its name; their files tell them apart. */
function nameInNote({ name, role, fileName }: SourceRow): string {
  return role === 'layer' ? name : `${name} (${fileName})`;
}

const derivedOf = (source: SourceRow): NamedDerivation[] =>
  source.columns.getItems().flatMap(({ name: column, derivation }) => (derivation ? [{ name: column, derivation }] : []));

/** The sources that columns are joined from, with those that theirs are joined from. */
async function withJoined(em: Entities, used: ReadonlySet<number>): Promise<SourceRow[]> {
  const all = await em.find(Source, { $or: [{ role: 'layer' }, { id: { $in: [...used] } }] }, { populate: ['columns'] });
  const wanted = new Set(used);
  for (const id of wanted)
    for (const { derivation } of derivedOf(all.find((source) => source.id === id)!))
      if (isFromElsewhere(derivation) && all.some((source) => source.id === derivation.source)) wanted.add(derivation.source);
  return all.filter(({ id }) => wanted.has(id));
}

type Called = (id: number) => string | undefined;

/** What a column is made from elsewhere, by the names of today. */
function calledNow(derivation: Derivation, called: Called, sieveCalled: Called): Derivation {
  if (derivation.kind === 'joined' || derivation.kind === 'placed')
    return { ...derivation, table: called(derivation.source) ?? derivation.table };
  if (derivation.kind !== 'zoned') return derivation;
  const { source, sieve } = derivation;
  const [of, kept] = [called(source), sieve === null ? null : sieveCalled(sieve)];
  if (of === undefined) return derivation;
  return { ...derivation, called: sieve === null ? of : `${kept ?? 'a sieve'} of ${of}` };
}

function fetchedInNote(
  { address, collection, filter, leftOut, askedAt, matched, came, live }: FetchedFrom,
  whole: AskedWhole | undefined,
): NonNullable<NoteSource['fetched']> {
  const known = { address, collection, filter, leftOut, live: live !== undefined };
  if (whole) return { ...known, askedAt: whole.askedAt, matched: whole.of, came: whole.came };
  return { ...known, askedAt, matched, came };
}

function wholeInWords({ of, came, remarks }: AskedWhole): string[] {
  const [all, some] = [of, came].map((count) => count.toLocaleString('en-GB'));
  return [
    `Asked for all ${all} features when this was made; the ${some} that the conditions can keep came over.`,
    ...remarks.map((remark) => `${remark}.`),
  ];
}

function noteSource(source: SourceRow, called: Called, sieveCalled: Called, whole?: AskedWhole): NoteSource {
  const { fileName, layer, format, hash, takenAt, rowCount, crs, shapes, notes, reading, fetchedFrom } = source;
  return {
    id: source.id,
    name: nameInNote(source),
    file: fileName,
    layer: layer ?? null,
    format,
    sha256: hash ?? null,
    takenAt,
    ...(fetchedFrom ? { fetched: fetchedInNote(fetchedFrom, whole) } : {}),
    rows: whole?.of ?? rowCount,
    crs: { name: crs.name, label: crs.label },
    shapes,
    notes: whole ? wholeInWords(whole) : notes,
    // What it is joined from is told by the name that it has now.
    derived: derivedOf(source).map(({ name, derivation }) => ({
      ...{ name },
      derivation: calledNow(derivation, called, sieveCalled),
    })),
    reading: {
      crs: reading?.crs ?? null,
      longitude: reading?.longitude ?? null,
      latitude: reading?.latitude ?? null,
      wkt: reading?.wkt ?? null,
      ...(reading?.bare ? { bare: true } : {}),
    },
  };
}
