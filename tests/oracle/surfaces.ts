import { PbfReader } from 'pbf';
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { exprOfTree, inSystem, mapConditions, printFilter, WRITTEN_FORMATS, type Group } from '@clean-sieve/core';
import { sift } from '../../packages/server/src/cli/sift.ts';
import { AS_OF, type Case } from './agree.ts';
import { inCharts, inLegend } from './charts_and_legend.ts';
import { plainStack, treeTruths } from './plain_stack.ts';
import { differs, keptRows, questionOf, type Question } from './question.ts';
import type { Random } from './random_lists.ts';
import { readParquet } from './read_parquet.ts';
import type { Served } from './served.ts';
import { valuesDiffer, type WrittenFeature } from './written_values.ts';

/** A table brought into a running server, with what there is to compare it by. */
interface Asked {
  served: Served;
  made: Case;
  sourceId: number;
  name: string;
  /** The same features as a file, for the command line. */
  file: string;
}

let next = 0;

/**
 * Asks the same filters of every surface that shows or hands over what is kept: the stack's numbers, the mask that the map
 * draws by, the rows of the table, the values of a column, legend and small maps, charts, the command line, a feed by its sieve and by its filter, vector
 * tiles, and an extract in each format as other programs read it. The first disagreement in words; null when there is none.
 */
export async function surfaceDifference(served: Served, made: Case, random: Random): Promise<string | null> {
  const name = `table_${next++}`;
  const { sourceId, file } = await served.bringInRecords(made.records, name);
  const asked: Asked = { served, made, sourceId, name, file };
  const everything = await served.publish(sourceId, `all of ${name}`, []);
  for (const { expr, text } of made.asked) {
    const question = questionOf(made, expr, random);
    if (!question) continue;
    const found =
      (await inStack(asked, question)) ??
      (await inTable(asked, question)) ??
      (await inValues(asked, question)) ??
      (await inLegend(asked, question, random)) ??
      (await inCharts(asked, question)) ??
      (await onCommandLine(asked, question)) ??
      (await inFilteredFeed(asked, question, everything)) ??
      (random.chance(0.3) ? await inFeed(asked, question) : null);
    if (found) return `${found}\n  ${text}\n  ${JSON.stringify(question.tree)}`;
  }
  const last = made.asked.map(({ expr }) => questionOf(made, expr, random)).find((question) => question !== null);
  return last ? inFiles(asked, last) : null;
}

/** Literals say the system that they are written in. */
const located = ({ made }: Asked, tree: Group): Group =>
  mapConditions(tree, (expr) => (made.table.crs.definition === null ? expr : inSystem(expr, made.table.crs)));

/** The text of what is switched on; null where that is nothing. */
function textOf(tree: Group): string | null {
  const expr = exprOfTree(tree);
  return expr === null ? null : printFilter(expr);
}

async function inStack(asked: Asked, { tree, truths, answers }: Question): Promise<string | null> {
  const { rows } = asked.made.table;
  const { head, drawn } = await asked.served.sift(asked.sourceId, located(asked, tree));
  const kept = keptRows(truths);
  const stack = plainStack(tree, rows, answers);
  const nodes = stack.map(({ id }) => id).filter((id) => id !== 'root');
  const without = (id: string) => treeTruths(tree, rows, answers, id);
  const numbers = { total: rows, kept: kept.length, unknown: truths.filter((truth) => truth === null).length };
  return (
    differs('the head of the stack', { total: head.total, kept: head.kept, unknown: head.unknown }, numbers) ??
    differs('the stack', head.rows, stack) ??
    differs(
      'the mask of the map',
      drawn.flatMap((bit, row) => (bit ? [row] : [])),
      kept,
    ) ??
    nodes.map((id) => differs(`the number without ${id}`, head.without[id], keptRows(without(id)).length)).find((one) => one !== null) ??
    Object.entries(head.nearMisses)
      .map(([id, count]) => differs(`the near misses of ${id}`, count, keptRows(without(id)).filter((row) => truths[row] !== true).length))
      .find((one) => one !== null) ??
    null
  );
}

async function inTable(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const { served, sourceId } = asked;
  const kept = keptRows(truths);
  const body = { tree: located(asked, tree), order: [], offset: 0 };
  const numbers = await served.send<{ keys: number[] }>('POST', `api/sources/${sourceId}/keys`, { ...body, count: 1e6 });
  const page = await served.send<{ total: number; features: { cells: unknown[] }[] }>('POST', `api/sources/${sourceId}/rows`, {
    ...body,
    limit: 500,
  });
  const at = Object.keys(asked.made.records.types).indexOf('row_no');
  return (
    differs('the table', numbers.keys, kept) ??
    differs('the total of the table', page.total, kept.length) ??
    differs(
      'a page of the table',
      page.features.map(({ cells }) => cells[at]),
      kept.slice(0, 500),
    )
  );
}

/** Distinct texts with their counts, of all and of what is kept. */
async function inValues(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const column = 'name "of" it';
  const { aggregate: values } = await asked.served.send<{ aggregate: { value: string; count: number; kept: number }[] }>(
    'POST',
    `api/sources/${asked.sourceId}/aggregate`,
    { tree: located(asked, tree), aggregation: { kind: 'values', column } },
  );
  const plain = new Map<string, { count: number; kept: number }>();
  for (const [row, { [column]: value }] of asked.made.records.rows.entries()) {
    if (typeof value !== 'string') continue;
    const { count, kept } = plain.get(value) ?? { count: 0, kept: 0 };
    plain.set(value, { count: count + 1, kept: kept + (truths[row] === true ? 1 : 0) });
  }
  const sorted = (list: { value: string; count: number; kept: number }[]) =>
    list.map(({ value, count, kept }) => [value, count, kept]).sort((a, b) => (a[0] < b[0] ? -1 : 1));
  return differs(
    'the values of a column',
    sorted(values.filter(({ count }) => count > 0)),
    sorted([...plain].map(([value, n]) => ({ value, ...n }))),
  );
}

async function onCommandLine(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const {
    made: { records },
    file,
  } = asked;
  const where = textOf(tree);
  const out = await sift(file, {
    ...(where === null ? {} : { where }),
    asOf: AS_OF,
    ...(records.place.system === null ? {} : { filterCrs: records.place.system }),
  });
  const plain = { read: truths.length, kept: keptRows(truths).length, unknown: truths.filter((truth) => truth === null).length };
  return 'kept' in out
    ? differs('the command line', { read: out.read, kept: out.kept, unknown: out.unknown }, plain)
    : 'the command line has no counts';
}

interface Page {
  numberMatched: number;
  numberReturned: number;
  features: { id: number; properties: { row_no: number } }[];
  links: { rel: string; href: string }[];
}

/** All features of a feed, page after page, as rows of the source. */
async function itemsOf({ served }: Asked, path: string): Promise<{ matched: number; rows: number[] }> {
  const rows: number[] = [];
  let at: string | null = path;
  let matched = 0;
  while (at) {
    const page: Page = await served.get<Page>(at);
    matched = page.numberMatched;
    for (const { id, properties } of page.features) {
      if (id !== properties.row_no + 1) throw new Error(`The feature ${id} has the values of row ${properties.row_no}`);
      rows.push(id - 1);
    }
    const link = page.links.find(({ rel }) => rel === 'next');
    at = link ? link.href.replace(/^https?:\/\/[^/]*\//, '') : null;
  }
  return { matched, rows };
}

/** A sieve at its link: its items and its tiles. */
async function inFeed(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const {
    served,
    sourceId,
    made: { records },
  } = asked;
  const kept = keptRows(truths);
  const feed = await served.publish(sourceId, `sieve ${next++}`, [{ ...located(asked, tree), id: 'inner' }]);
  const { matched, rows } = await itemsOf(asked, `${feed}/items?limit=97`);
  const tile = tileRows(await served.bytes(`${feed}/tiles/WebMercatorQuad/0/0/0`));
  const shown = kept.filter((row) => hasPosition(records.shapes[row]));
  // Beyond the edge of web Mercator there are no tiles.
  const polar = records.place.scale < 1 || (records.place.system === null && Math.abs(records.place.at[1]) > 60);
  return (
    differs('a feed', rows, kept) ??
    differs('numberMatched', matched, kept.length) ??
    differs('a vector tile', tile, polar ? shown.filter((row) => tile.includes(row)) : shown)
  );
}

const hasPosition = (shape: unknown) => /\d/.test(JSON.stringify(shape));

async function inFilteredFeed(asked: Asked, { tree, truths }: Question, feed: string): Promise<string | null> {
  const where = textOf(tree);
  if (where === null) return null;
  const { system } = asked.made.records.place;
  const crs = system === null ? '' : `&filter-crs=http://www.opengis.net/def/crs/EPSG/0/${system.slice(5)}`;
  const query = `filter-lang=cql2-text&filter=${encodeURIComponent(where)}${crs}`;
  // An address has an end; and where the definition has the first axis to the north, so have the literals of a feed.
  if (query.length > 12_000 || system === 'EPSG:2193') return null;
  const { rows } = await itemsOf(asked, `${feed}/items?limit=1000&${query}`);
  return differs('a feed with a filter', rows, keptRows(truths));
}

/** Rows in a vector tile, by the identifiers of its features (Mapbox Vector Tile specification 2.1, 4.2). */
function tileRows(bytes: Uint8Array): number[] {
  const rows = new Set<number>();
  new PbfReader(bytes).readFields((tag, _, tile) => {
    if (tag !== 3) return;
    tile.readMessage((inLayer, __, layer) => {
      if (inLayer !== 2) return;
      layer.readMessage((inFeature, ___, feature) => {
        if (inFeature === 1) rows.add(feature.readVarint() - 1);
      }, null);
    }, null);
  }, null);
  return [...rows].sort((a, b) => a - b);
}

/** An extract in every format. */
async function inFiles(asked: Asked, { tree, truths }: Question): Promise<string | null> {
  const {
    served,
    sourceId,
    made: { records },
    name,
  } = asked;
  const kept = keptRows(truths);
  const columns = Object.keys(records.types).map((column) => ({ name: column, as: column, codes: 'code' }));
  const layer = {
    sourceId,
    tree: located(asked, tree),
    name,
    columns,
    shape: { kind: 'as-is' },
    crs: null,
    order: null,
    cut: null,
    colour: '#2c5b4b',
  };
  const files: { format: string; path: string }[] = [];
  for (const { name: format, writing } of WRITTEN_FORMATS) {
    const request = { title: `${name} ${format}`, format, layers: [layer], within: null, zip: false, coordinates: null, guarded: false };
    const { id } = await served.send<{ id: string }>('POST', 'api/extracts', request);
    const { extract } = await served.job<{ extract: { id: string; features: number; files: { name: string }[] } }>(id);
    if (extract.features !== kept.length) return differs(`the number of an extract as ${format}`, extract.features, kept.length);
    const file = extract.files.find((one) => one.name.endsWith(writing.extension))!;
    const path = join(served.folder, `${name}_${format}${writing.extension}`);
    writeFileSync(path, await served.bytes(`api/extracts/${extract.id}/${encodeURIComponent(file.name)}`));
    // A sequence of no features is an empty file, which is of no format.
    if (format !== 'geojsonseq' || kept.length > 0) files.push({ format, path });
  }
  for (const [i, found] of (await readByOthers(files)).entries()) {
    const { format } = files[i];
    const problem = valuesDiffer(format, found, records, kept);
    if (problem) return `${format} by other programs: ${problem}`;
    if (format !== 'csv') continue;
    const request = { title: name, format, layers: [layer], within: null, zip: false, coordinates: null, guarded: false };
    const unlike = (await inPreview(served, request, found)) ?? (await onClipboard(served, request, found));
    if (unlike) return unlike;
  }
  return null;
}

type Cells = (string | number | boolean | null)[];
/** As a table of cells has it. */
const asText = (cell: Cells[number]) => (cell === null ? '' : String(cell));

/** The first rows as they are shown before a table is written, beside the table. */
async function inPreview(served: Served, request: object, found: WrittenFeature[]): Promise<string | null> {
  const { layers } = await served.send<{ layers: { kept: number; columns: string[]; rows: Cells[]; error: string | null }[] }>(
    'POST',
    'api/extracts/preview',
    request,
  );
  const [{ kept, columns, rows, error }] = layers;
  if (error !== null) return `the preview has the error ${error}`;
  // Long texts are cut short where they are only looked at.
  const like = (cell: Cells[number], value: unknown) =>
    asText(cell) === value || (asText(cell).endsWith(' …') && String(value).startsWith(asText(cell).slice(0, -2)));
  const first = found.slice(0, rows.length).map(({ values }) => Object.values(values));
  const wrong = first.findIndex((values, i) => values.length !== rows[i].length || !rows[i].every((cell, c) => like(cell, values[c])));
  return (
    differs('the number of the preview', kept, found.length) ??
    (found.length > 0 ? differs('the preview', columns, Object.keys(found[0].values)) : null) ??
    (wrong < 0 ? null : differs(`row ${wrong} of the preview`, rows[wrong], first[wrong]))
  );
}

/** All rows for the clipboard, beside the table. */
async function onClipboard(served: Served, request: object, found: WrittenFeature[]): Promise<string | null> {
  const { columns, rows } = await served.send<{ columns: string[]; rows: Cells[] }>('POST', 'api/extracts/rows', request);
  const table = found.map(({ values }) => Object.values(values));
  return (
    (found.length > 0 ? differs('the head of the clipboard', columns, Object.keys(found[0].values)) : null) ??
    differs(
      'the clipboard',
      rows.map((row) => row.map(asText)),
      table,
    )
  );
}

async function readByOthers(files: readonly { format: string; path: string }[]): Promise<WrittenFeature[][]> {
  const script = new URL('./read_back.py', import.meta.url).pathname;
  const others = files.filter(({ format }) => format !== 'geoparquet');
  const run = spawnSync('/usr/bin/python3', [script], { input: JSON.stringify(others.map(({ path }) => path)), maxBuffer: 2 ** 30 });
  if (run.status !== 0) throw new Error(run.stderr.toString());
  const read = JSON.parse(run.stdout.toString()) as WrittenFeature[][];
  const found: WrittenFeature[][] = [];
  for (const { format, path } of files) found.push(format === 'geoparquet' ? await readParquet(path) : read.shift()!);
  return found;
}
