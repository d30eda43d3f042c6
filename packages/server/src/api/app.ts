import { createWriteStream } from 'node:fs';
import { rm, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as WebStream } from 'node:stream/web';
import { randomBytes, randomUUID } from 'node:crypto';
import { serveStatic } from '@hono/node-server/serve-static';
import {
  areasIn,
  layerRef,
  layersNamedIn,
  mapConditions,
  nodesIn,
  propertiesIn,
  renamedArea,
  renamedLayer,
  typedColumn,
  type AreaShape,
  type Expr,
  type LayerRef,
} from '@clean-sieve/core';
import { Hono } from 'hono';
import { contextStorage, getContext } from 'hono/context-storage';
import { HTTPException } from 'hono/http-exception';
import { z } from 'zod';
import type { Jobs } from '../jobs/jobs.ts';
import type { Log } from '../log.ts';
import type { SiftService } from '../sifting/sift_service.ts';
import { Area, CodeList, Feed, Sieve, Source, SourceColumn, type FeedRow, type SieveRow } from '../store/entities.ts';
import { addColumn, IN_USE, loadTable } from '../store/table_store.ts';
import { entities, type Entities, type Store } from '../store/store.ts';
import { searchCrs } from '../crs/epsg.ts';
import { Uploads } from '../files/uploads.ts';
import { step } from '../steps.ts';
import { extractRoutes } from './extracts.ts';
import { problemOf } from './problems.ts';
import { safeInterface } from './safe_headers.ts';
import { pdfPage } from '../page/page.ts';
import { feedApp } from '../feeds/feed_app.ts';
import { frozenFeed } from '../feeds/published.ts';
import { slugOf } from '../feeds/slug.ts';
import {
  areaInfo,
  asOfDay,
  feedInfo,
  sieveInfo,
  sourceInfo,
  todayBesideFixed,
  workspaceOf,
  workspaceState,
} from '../workspace.ts';
import {
  areaChange,
  bufferedRequest,
  codeListOfColumns,
  codeListRequest,
  compareRequest,
  partRequest,
  columnChange,
  countsRequest,
  crsQuery,
  curveRequest,
  derivedColumnRequest,
  figuresRequest,
  histogramRequest,
  importRequest,
  lookRequest,
  newFeed,
  nearbyRequest,
  newArea,
  newSieve,
  offersRequest,
  pageRequest,
  placeRequest,
  rowNumbersRequest,
  profileRequest,
  rowsRequest,
  selection,
  shapeRequest,
  sieveChangeRequest,
  sourceChange,
  subsetRequest,
  treeRequest,
  uploadQuery,
  valuesRequest,
  versionRequest,
  whyRequest,
  workspaceChange,
  type BufferedAnswer,
  type CountsAnswer,
  type CrsAnswer,
  type CurveAnswer,
  type EmptinessAnswer,
  type ErrorAnswer,
  type FeatureAnswer,
  type FeatureTexts,
  type FiguresAnswer,
  type HistogramAnswer,
  type NearbyAnswer,
  type OffersAnswer,
  type ProfileAnswer,
  type RemarksAnswer,
  type RowsAnswer,
  type SieveConflict,
  type TimesAnswer,
  type ValidAnswer,
  type ValuesAnswer,
} from './contract.ts';

export interface Services {
  store: Store;
  /** Answers the interface. */
  sifting: SiftService;
  /** Answers whoever reads a feed. */
  published: SiftService;
  jobs: Jobs;
  log: Log;
  /** Folder for uploads under way and extracts. */
  files: string;
  /** Folder of the built interface. */
  interface: string;
}

/** The HTTP interface: the API under /api, everything else is the built web interface. */
export function makeApp(services: Services): Hono {
  const { store, sifting, published, jobs, log, files } = services;
  const app = new Hono();
  const api = new Hono();

  app.onError((error, c) => {
    const { status, message, fault } = problemOf(error);
    // The link of a feed is a secret: it is not logged.
    if (fault) log.error(`${c.req.method} ${c.req.path.replace(/\/feeds\/[^/]+/, '/feeds/…')}`, error);
    return c.json({ error: message } satisfies ErrorAnswer, status);
  });

  app.route('/feeds', feedApp({ store, published, log }));

  app.use(safeInterface);
  // The server listens on this machine only; a page from elsewhere must not reach it through the browser.
  app.use(async (c, next) => {
    const host = (c.req.header('host') ?? '').replace(/:\d+$/, '');
    const origin = c.req.header('origin');
    const local = ['127.0.0.1', 'localhost', '[::1]'].includes(host);
    if (!local || (origin !== undefined && hostOf(origin) !== c.req.header('host'))) {
      throw new HTTPException(403, { message: 'Only pages served from this address may use it' });
    }
    await next();
  });
  app.use(contextStorage());
  app.use(async (c, next) => {
    await next();
    if (c.req.method !== 'GET') step('answer');
  });

  const id = (text: string) => z.coerce.number().int().positive().parse(text);
  const em = (): Entities => entities(store);

  async function sourceOf(text: string) {
    const source = await em().findOne(Source, { id: id(text), role: { $ne: 'making' } }, { populate: ['columns'] });
    if (!source) throw new HTTPException(404, { message: 'There is no such source' });
    return source;
  }

  async function ask<T>(sourceId: string, task: Record<string, unknown>): Promise<T> {
    const source = await sourceOf(sourceId);
    // A question that the interface no longer wants is not begun.
    const { signal } = getContext().req.raw;
    return sifting.ask<T>({ ...task, sourceId: source.id, asOf: await asOfDay(em()) } as never, { signal });
  }

  /** Tells both sifting threads that something is no longer as they know it; readers of feeds hold up nobody. */
  async function tell(news: { kind: 'forget'; sourceId: number } | { kind: 'areas' }): Promise<void> {
    const task = { sourceId: 0, asOf: 0, ...news };
    published.ask(task).catch((error: unknown) => log.error('The thread of the feeds', error));
    await sifting.ask(task);
  }

  api.get('/workspace', async (c) => c.json(await workspaceState(em())));

  api.patch('/workspace', async (c) => {
    const change = workspaceChange.parse(await c.req.json());
    const manager = em();
    Object.assign(await workspaceOf(manager), change);
    await manager.flush();
    return c.json(await workspaceState(em()));
  });

  const uploads = new Uploads(join(files, 'uploads'));
  const uploadOf = (text: string) => z.uuid().parse(text);
  api.post('/uploads', async (c) => {
    const query = uploadQuery.parse(c.req.query());
    const upload = query.into ?? randomUUID();
    await uploads.begin(upload);
    const path = join(uploads.folderOf(upload), basename(query.name));
    try {
      // A file without a byte has no body at all.
      if (c.req.raw.body) await pipeline(Readable.fromWeb(c.req.raw.body as WebStream), createWriteStream(path));
      else await writeFile(path, '');
    } catch (error) {
      if (query.into === undefined) await uploads.remove(upload);
      else await rm(path, { force: true });
      throw error;
    }
    return c.json({ upload });
  });
  api.delete('/uploads/:upload', async (c) => {
    await uploads.remove(uploadOf(c.req.param('upload')));
    return c.body(null, 204);
  });
  api.post('/uploads/:upload/look', async (c) => {
    const { files: names, reading } = lookRequest.parse(await c.req.json());
    const upload = uploadOf(c.req.param('upload'));
    const task = { kind: 'look' as const, folder: uploads.folderOf(upload), files: names.map((name) => basename(name)), reading }; // prettier-ignore
    const end = uploads.use(upload);
    return c.json(jobs.start(`Looking at ${names.join(', ')}`, task, () => end(false)));
  });
  api.post('/uploads/:upload/imports', async (c) => {
    const { layers } = importRequest.parse(await c.req.json());
    const upload = uploadOf(c.req.param('upload'));
    const choices = layers.map((layer) => ({ ...layer, file: basename(layer.file) }));
    const label = `Bringing in ${choices.length === 1 ? choices[0].name : `${choices.length} layers`}`;
    const task = { kind: 'import' as const, folder: uploads.folderOf(upload), layers: choices, role: 'layer' as const };
    const end = uploads.use(upload);
    return c.json(jobs.start(label, task, (result) => end(result !== null)));
  });

  api.get('/systems', (c) => {
    const { find } = crsQuery.parse(c.req.query());
    return c.json({ systems: searchCrs(find) } satisfies CrsAnswer);
  });

  api.get('/jobs/:id', (c) => {
    const job = jobs.get(c.req.param('id'));
    if (!job) throw new HTTPException(404, { message: 'There is no such job' });
    return c.json(job);
  });
  api.delete('/jobs/:id', (c) => {
    jobs.cancel(c.req.param('id'));
    return c.body(null, 204);
  });

  api.get('/sources/:id', async (c) => c.json(sourceInfo(await sourceOf(c.req.param('id')))));
  api.patch('/sources/:id', async (c) => {
    const change = sourceChange.parse(await c.req.json());
    const { id: sourceId, name: before } = await sourceOf(c.req.param('id'));
    // The new name and the conditions that go on being about it are saved together.
    await em().transactional(async (manager) => {
      if (change.name !== undefined && change.name !== before) {
        if ((await manager.count(Source, { name: change.name, ...IN_USE, id: { $ne: sourceId } })) > 0)
          throw new HTTPException(409, { message: `There is a source ${change.name} already; choose another name` });
        await renameLayer(manager, layerRef('SOURCE', before), change.name);
        await manager.flush();
      }
      await manager.nativeUpdate(Source, { id: sourceId }, change);
    });
    if (change.shapes) await tell({ kind: 'forget', sourceId });
    return c.json(sourceInfo(await sourceOf(c.req.param('id'))));
  });
  api.delete('/sources/:id', async (c) => {
    const { id: sourceId, name } = await sourceOf(c.req.param('id'));
    const manager = em();
    const own = await manager.find(Sieve, { source: sourceId });
    const going = [layerRef('SOURCE', name), ...own.flatMap((sieve) => (sieve.name ? [layerRef('SIEVE', sieve.name)] : []))]; // prettier-ignore
    for (const ref of going)
      await notUsed(manager, `${ref.args[0]} is needed`, isAbout(ref), (sieve) => sieve.source.id === sourceId);
    await em().nativeDelete(Source, { $or: [{ id: sourceId }, { versionOf: sourceId }] });
    await tell({ kind: 'forget', sourceId });
    return c.body(null, 204);
  });

  api.post('/sources/:id/measures', async (c) => {
    const { id: sourceId, name } = await sourceOf(c.req.param('id'));
    return c.json(jobs.start(`Measuring ${name}`, { kind: 'measure', sourceId }));
  });
  api.post('/sources/:id/repairs', async (c) => {
    const { id: sourceId, name } = await sourceOf(c.req.param('id'));
    const settle = () => tell({ kind: 'forget', sourceId });
    return c.json(jobs.start(`Repairing the shapes of ${name}`, { kind: 'repair', sourceId }, settle));
  });
  // Another version comes in beside the source, is compared with it, and takes its place only when the person says so.
  api.post('/sources/:id/versions', async (c) => {
    const { upload, layer } = versionRequest.parse(await c.req.json());
    const source = await sourceOf(c.req.param('id'));
    const folder = uploads.folderOf(uploadOf(upload));
    const end = uploads.use(upload);
    const task = {
      kind: 'version' as const,
      sourceId: source.id,
      folder,
      layer: { ...layer, file: basename(layer.file) },
    };
    return c.json(
      jobs.start(`Comparing ${layer.file} with ${source.name}`, { ...task, asOf: await asOfDay(em()) }, () =>
        end(true),
      ),
    );
  });
  const versionOf = async (sourceId: number, version: string) => {
    const found = await em().findOne(Source, { id: id(version), versionOf: sourceId });
    if (!found) throw new HTTPException(404, { message: 'There is no such version' });
    return found;
  };
  api.post('/sources/:id/versions/:version/compare', async (c) => {
    const source = await sourceOf(c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const { key } = compareRequest.parse(await c.req.json());
    const task = { kind: 'compare' as const, sourceId: source.id, versionId, key, asOf: await asOfDay(em()) };
    return c.json(jobs.start(`Comparing by ${key}`, task));
  });
  api.post('/sources/:id/versions/:version/parts', async (c) => {
    const source = await sourceOf(c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const { key, part } = partRequest.parse(await c.req.json());
    return c.json(jobs.start(`Finding what is ${part}`, { kind: 'part', sourceId: source.id, versionId, key, part }));
  });
  api.post('/sources/:id/versions/:version/accept', async (c) => {
    const source = await sourceOf(c.req.param('id'));
    const { id: versionId } = await versionOf(source.id, c.req.param('version'));
    const settle = () => tell({ kind: 'forget', sourceId: source.id });
    return c.json(jobs.start(`Exchanging ${source.name}`, { kind: 'accept', sourceId: source.id, versionId }, settle));
  });
  api.delete('/sources/:id/versions/:version', async (c) => {
    const { id: versionId } = await versionOf(id(c.req.param('id')), c.req.param('version'));
    await em().nativeDelete(Source, { id: versionId });
    return c.body(null, 204);
  });
  api.get('/sources/:id/remarks', async (c) => {
    const source = await em().findOne(Source, { id: id(c.req.param('id')) }, { populate: ['remarks'] });
    if (!source) throw new HTTPException(404, { message: 'There is no such source' });
    return c.json({ remarks: source.remarks.unwrap() ?? [] } satisfies RemarksAnswer);
  });
  api.patch('/sources/:id/columns/:column', async (c) => {
    const change = columnChange.parse(await c.req.json());
    const manager = em();
    const column = await manager.findOne(SourceColumn, { source: id(c.req.param('id')), name: c.req.param('column') });
    if (!column) throw new HTTPException(404, { message: 'There is no such column' });
    const { codeList, title, description, ...rest } = change;
    Object.assign(column, rest);
    if (title !== undefined) column.title = title === '' ? null : title;
    if (description !== undefined) column.description = description === '' ? null : description;
    if (codeList !== undefined) column.codeList = codeList === null ? null : manager.getReference(CodeList, codeList);
    await manager.flush();
    return c.json(sourceInfo(await sourceOf(c.req.param('id'))));
  });
  api.post('/sources/:id/profile', async (c) =>
    c.json(
      await ask<ProfileAnswer>(c.req.param('id'), { kind: 'profile', ...profileRequest.parse(await c.req.json()) }),
    ),
  );
  api.post('/sources/:id/offers', async (c) =>
    c.json(await ask<OffersAnswer>(c.req.param('id'), { kind: 'offers', ...offersRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/columns', async (c) => {
    const { name, derivation } = derivedColumnRequest.parse(await c.req.json());
    const source = await sourceOf(c.req.param('id'));
    if (source.columns.getItems().some((column) => column.name === name) || name === 'geometry')
      throw new HTTPException(400, { message: `There is a column ${name} already; choose another name` });
    const table = await loadTable(em(), source.id);
    const from = table.columns.find((column) => column.name === derivation.from);
    if (!from?.dictionary) throw new HTTPException(400, { message: `${derivation.from} is not a text column` });
    await addColumn(em(), source.id, typedColumn(from, derivation, name), derivation);
    await tell({ kind: 'forget', sourceId: source.id });
    return c.json(sourceInfo(await sourceOf(c.req.param('id'))));
  });
  api.delete('/sources/:id/columns/:column', async (c) => {
    const sourceId = id(c.req.param('id'));
    const column = await em().findOne(SourceColumn, { source: sourceId, name: c.req.param('column') });
    if (!column?.derivation)
      throw new HTTPException(400, { message: 'Only derived columns can be removed; hide the column instead' });
    const isAboutColumn = (expr: Expr) => propertiesIn(expr).includes(column.name);
    await notUsed(em(), 'The column is used', isAboutColumn, (sieve) => sieve.source.id !== sourceId);
    await em().nativeDelete(SourceColumn, { id: column.id });
    await tell({ kind: 'forget', sourceId });
    return c.json(sourceInfo(await sourceOf(c.req.param('id'))));
  });

  api.post('/code-lists', async (c) => {
    const { name, entries } = codeListRequest.parse(await c.req.json());
    const manager = em();
    manager.create(CodeList, { name, entries, workspace: await workspaceOf(manager) });
    await manager.flush();
    return c.json(await workspaceState(em()));
  });
  api.post('/sources/:id/code-lists', async (c) => {
    const { name, code, meaning } = codeListOfColumns.parse(await c.req.json());
    const { entries } = await ask<{ entries: [string, string][] }>(c.req.param('id'), { kind: 'pairs', code, meaning });
    const manager = em();
    manager.create(CodeList, { name, entries, workspace: await workspaceOf(manager) });
    await manager.flush();
    return c.json(await workspaceState(em()));
  });
  api.delete('/code-lists/:id', async (c) => {
    await em().nativeDelete(CodeList, { id: id(c.req.param('id')) });
    return c.json(await workspaceState(em()));
  });

  /** Refuses what would leave conditions about nothing. */
  const notUsed = async (
    manager: ReturnType<typeof em>,
    problem: string,
    uses: (expr: Expr) => boolean,
    except: (sieve: SieveRow) => boolean = () => false,
  ) => {
    const users = (await manager.find(Sieve, {}, { populate: ['source'] })).filter(
      (sieve) =>
        !except(sieve) && [...nodesIn(sieve.tree)].some(({ node }) => node.kind === 'condition' && uses(node.expr)),
    );
    if (users.length === 0) return;
    const names = users.map((sieve) => sieve.name ?? `an unnamed sieve of ${sieve.source.name}`);
    throw new HTTPException(400, { message: `${problem} by ${names.join(', ')}; take it out of the conditions first` });
  };
  const isAbout = (ref: LayerRef) => (expr: Expr) =>
    layersNamedIn(expr).some(({ op, args: [name] }) => op === ref.op && name === ref.args[0]);
  const notNamed = (manager: ReturnType<typeof em>, ref: LayerRef, problem: string, except?: number) =>
    notUsed(manager, problem, isAbout(ref), (sieve) => sieve.id === except);
  /** The conditions go on being about it. */
  const renameLayer = async (manager: ReturnType<typeof em>, ref: LayerRef, to: string) => {
    for (const sieve of await manager.find(Sieve, {})) {
      const tree = mapConditions(sieve.tree, (expr) => renamedLayer(expr, ref, to));
      if (JSON.stringify(tree) !== JSON.stringify(sieve.tree)) sieve.tree = tree;
    }
  };

  const areasChanged = () => tell({ kind: 'areas' });
  const areaOf = async (manager: ReturnType<typeof em>, text: string) => {
    const area = await manager.findOne(Area, { id: id(text) });
    if (!area) throw new HTTPException(404, { message: 'There is no such area' });
    return area;
  };
  const nameIsFree = async (manager: ReturnType<typeof em>, name: string) => {
    if (await manager.findOne(Area, { name }))
      throw new HTTPException(400, { message: `There is an area ${name} already; choose another name` });
  };
  /** What relations are decided for is valid; a circle or strip is by its distance. */
  const validShape = async (shape: AreaShape): Promise<{ shape: AreaShape; repaired: string | null }> =>
    'op' in shape
      ? { shape, repaired: null }
      : sifting.ask<ValidAnswer>({ kind: 'valid', shapes: [shape], sourceId: 0, asOf: 0 });
  api.post('/areas/buffered', async (c) => {
    const asked = bufferedRequest.parse(await c.req.json());
    return c.json(await sifting.ask<BufferedAnswer>({ kind: 'buffered', ...asked, sourceId: 0, asOf: 0 }));
  });
  api.post('/sources/:id/shape', async (c) =>
    c.json(await ask<ValidAnswer>(c.req.param('id'), { kind: 'shape', ...shapeRequest.parse(await c.req.json()) })),
  );
  api.get('/sources/:id/features/:row', async (c) => {
    const row = z.coerce.number().int().min(0).parse(c.req.param('row'));
    return c.json(await ask<FeatureTexts>(c.req.param('id'), { kind: 'feature', row }));
  });
  api.post('/sources/:id/nearby', async (c) =>
    c.json(await ask<NearbyAnswer>(c.req.param('id'), { kind: 'nearby', ...nearbyRequest.parse(await c.req.json()) })),
  );
  api.post('/areas', async (c) => {
    const { name, shape } = newArea.parse(await c.req.json());
    const manager = em();
    await nameIsFree(manager, name);
    const valid = await validShape(shape);
    const area = manager.create(Area, { name, shape: valid.shape, workspace: await workspaceOf(manager) });
    await manager.flush();
    await areasChanged();
    return c.json({ ...areaInfo(area), repaired: valid.repaired });
  });
  api.patch('/areas/:id', async (c) => {
    const { name, shape } = areaChange.parse(await c.req.json());
    const manager = em();
    const area = await areaOf(manager, c.req.param('id'));
    if (name !== undefined && name !== area.name) {
      await nameIsFree(manager, name);
      // The conditions go on being about it.
      for (const sieve of await manager.find(Sieve, {}))
        sieve.tree = mapConditions(sieve.tree, (expr) => renamedArea(expr, area.name, name));
      area.name = name;
    }
    if (shape !== undefined) area.shape = (await validShape(shape)).shape;
    await manager.flush();
    await areasChanged();
    return c.json(await workspaceState(em()));
  });
  api.delete('/areas/:id', async (c) => {
    const manager = em();
    const area = await areaOf(manager, c.req.param('id'));
    await notUsed(manager, 'The area is used', (expr) => areasIn(expr).includes(area.name));
    await manager.remove(area).flush();
    await areasChanged();
    return c.body(null, 204);
  });

  api.get('/sources/:id/display', async (c) => {
    const bytes = await ask<Uint8Array<ArrayBuffer>>(c.req.param('id'), { kind: 'display' });
    return c.body(bytes, 200, { 'content-type': 'application/octet-stream', 'cache-control': 'no-store' });
  });
  api.post('/sources/:id/sift', async (c) => {
    const asked = selection.parse(await c.req.json());
    const frame = await ask<Uint8Array<ArrayBuffer>>(c.req.param('id'), {
      kind: 'sift',
      today: await todayBesideFixed(em()),
      ...asked,
    });
    return c.body(frame, 200, { 'content-type': 'application/octet-stream' });
  });
  api.post('/sources/:id/rows', async (c) =>
    c.json(await ask<RowsAnswer>(c.req.param('id'), { kind: 'rows', ...rowsRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/row-numbers', async (c) =>
    c.json(
      await ask<{ rows: number[] }>(c.req.param('id'), {
        kind: 'rowNumbers',
        ...rowNumbersRequest.parse(await c.req.json()),
      }),
    ),
  );
  api.post('/sources/:id/place', async (c) =>
    c.json(
      await ask<{ place: number }>(c.req.param('id'), { kind: 'place', ...placeRequest.parse(await c.req.json()) }),
    ),
  );
  api.post('/sources/:id/why', async (c) =>
    c.json(await ask<FeatureAnswer>(c.req.param('id'), { kind: 'why', ...whyRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/values', async (c) =>
    c.json(await ask<ValuesAnswer>(c.req.param('id'), { kind: 'values', ...valuesRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/histogram', async (c) =>
    c.json(
      await ask<HistogramAnswer>(c.req.param('id'), {
        kind: 'histogram',
        ...histogramRequest.parse(await c.req.json()),
      }),
    ),
  );

  api.post('/sources/:id/curve', async (c) =>
    c.json(await ask<CurveAnswer>(c.req.param('id'), { kind: 'curve', ...curveRequest.parse(await c.req.json()) })),
  );
  api.post('/sources/:id/emptiness', async (c) => {
    const { tree } = treeRequest.parse(await c.req.json());
    return c.json(await ask<EmptinessAnswer>(c.req.param('id'), { kind: 'emptiness', tree }));
  });
  api.post('/sources/:id/counts', async (c) => {
    const { trees } = countsRequest.parse(await c.req.json());
    return c.json(await ask<CountsAnswer>(c.req.param('id'), { kind: 'counts', trees }));
  });
  api.post('/sources/:id/times', async (c) => {
    const asked = figuresRequest.parse(await c.req.json());
    return c.json(await ask<TimesAnswer>(c.req.param('id'), { kind: 'times', ...asked }));
  });
  api.post('/sources/:id/figures', async (c) => {
    const asked = figuresRequest.parse(await c.req.json());
    return c.json(await ask<FiguresAnswer>(c.req.param('id'), { kind: 'figures', ...asked }));
  });

  api.route('/extracts', extractRoutes(services));
  api.post('/pages', async (c) => {
    const page = pageRequest.parse(await c.req.json());
    return c.body((await pdfPage(page)) as Uint8Array<ArrayBuffer>, 200, { 'content-type': 'application/pdf' });
  });

  api.post('/sources', async (c) => {
    const layer = subsetRequest.parse(await c.req.json());
    const asOf = await asOfDay(em());
    await sifting.ask({ kind: 'check', sourceId: layer.sourceId, asOf, tree: layer.tree });
    return c.json(jobs.start(`Making the source ${layer.name}`, { kind: 'subset', layer, asOf }));
  });

  api.post('/sieves/:id/feeds', async (c) => {
    const { frozen } = newFeed.parse(await c.req.json());
    const manager = em();
    const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) }, { populate: ['source', 'source.columns'] }); // prettier-ignore
    if (!sieve) throw new HTTPException(404, { message: 'There is no such sieve' });
    const feed = manager.create(Feed, {
      id: randomBytes(18).toString('base64url'),
      sieve,
      madeAt: new Date().toISOString(),
      collection: slugOf(sieve.name ?? sieve.source.name),
      frozen: frozen ? await frozenFeed(manager, sifting, sieve) : null,
    });
    await manager.flush();
    return c.json(feedInfo(feed));
  });
  api.delete('/feeds/:id', async (c) => {
    await em().nativeDelete(Feed, { id: c.req.param('id') });
    return c.body(null, 204);
  });

  /** Feeds of sieves that were removed, which come back at their links when that is undone. */
  const goneFeeds = new Map<number, Pick<FeedRow, 'id' | 'madeAt' | 'collection' | 'frozen'>[]>();
  api.post('/sieves', async (c) => {
    const { sourceId, ...rest } = newSieve.parse(await c.req.json());
    await sourceOf(String(sourceId));
    const manager = em();
    const sieve = manager.create(Sieve, { ...rest, source: sourceId });
    for (const feed of goneFeeds.get(rest.id ?? -1) ?? []) manager.create(Feed, { ...feed, sieve });
    await manager.flush();
    goneFeeds.delete(sieve.id);
    return c.json(sieveInfo(sieve));
  });
  api.patch('/sieves/:id', async (c) => {
    const { from, ...change } = sieveChangeRequest.parse(await c.req.json());
    // The look at the version and the change are one step, whoever else changes the sieve.
    return em().transactional(async (manager) => {
      const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) });
      if (!sieve) throw new HTTPException(404, { message: 'There is no such sieve' });
      const matters = change.tree !== undefined || change.name !== undefined;
      if (matters && from !== undefined && from !== sieve.version)
        return c.json({ error: 'The sieve was changed in another window', current: sieveInfo(sieve) } satisfies SieveConflict, 409); // prettier-ignore
      const { name: before } = sieve;
      if (before && change.name !== undefined && change.name !== before) {
        const ref = layerRef('SIEVE', before);
        if (change.name === null) await notNamed(manager, ref, 'The sieve needs its name');
        else await renameLayer(manager, ref, change.name);
      }
      Object.assign(sieve, change);
      if (matters) sieve.version++;
      await manager.flush();
      return c.json(sieveInfo(sieve));
    });
  });
  api.delete('/sieves/:id', async (c) => {
    const manager = em();
    const sieve = await manager.findOne(Sieve, { id: id(c.req.param('id')) });
    if (sieve?.name) await notNamed(manager, layerRef('SIEVE', sieve.name), 'The sieve is needed', sieve.id);
    if (sieve) {
      const feeds = await manager.find(Feed, { sieve: sieve.id });
      if (feeds.length > 0)
        goneFeeds.set(
          sieve.id,
          feeds.map(({ id: link, madeAt, collection, frozen }) => ({ id: link, madeAt, collection, frozen })),
        );
      await em().nativeDelete(Sieve, { id: sieve.id });
    }
    return c.body(null, 204);
  });

  api.all('*', () => {
    throw new HTTPException(404, { message: 'There is nothing at this address' });
  });

  app.route('/api', api);
  app.use('*', serveStatic({ root: services.interface }));
  app.get('*', serveStatic({ root: services.interface, path: 'index.html' }));
  return app;
}

/** The host of an origin; of one that is none, such as "null", nothing. */
function hostOf(origin: string): string | null {
  return URL.canParse(origin) ? new URL(origin).host : null;
}
