import type { Geometry } from 'geojson';
import type {
  Alike,
  Aggregates,
  AggregationKind,
  AggregationOf,
  BySize,
  Classing,
  Expr,
  TypedDerivation,
  DifferenceRows,
  FeatureKey,
  Group,
  Selection,
  Side,
} from '@clean-sieve/core';
import type {
  AskRequest,
  AsksAnswer,
  Answers,
  AlikeRequest,
  AreaChange,
  AreaInfo,
  BufferedAnswer,
  NewArea,
  ColumnChange,
  ComputedColumnRequest,
  CrsAnswer,
  ExtractRequest,
  ExtractsAnswer,
  FetchRequest,
  FeedInfo,
  JobState,
  JoinLookRequest,
  JoinRequest,
  PlacedLookRequest,
  PlacedRequest,
  LayerChoice,
  MadeSourceRequest,
  NewSieve,
  PageRequest,
  PreviewAnswer,
  Question,
  QuestionName,
  ReadingChoice,
  RemarksAnswer,
  RowsOfLayer,
  ServiceLookRequest,
  SieveChange,
  SieveConflict,
  SieveInfo,
  SourceChange,
  SourceInfo,
  SpreadLookRequest,
  TypedColumnRequest,
  WorkspaceChange,
  WorkspaceState,
  ZonedLookRequest,
  ZonedRequest,
  SiftHead,
} from '@clean-sieve/server/api';
import { unpackSift } from '@clean-sieve/server/api/sift_frame';
import { aggregatesTogether, QUICK } from './aggregates_together.ts';

/** An answer of the server that says what went wrong. */
export class ApiError extends Error {
  /** Null where there was no answer at all. */
  readonly status: number | null;

  constructor(message: string, status: number | null = null) {
    super(message);
    this.status = status;
  }
}
/** A change that was refused because the sieve has become another meanwhile. */
export class ConflictError extends ApiError {
  readonly current: SieveInfo;

  constructor({ error, current }: SieveConflict) {
    super(error, 409);
    this.current = current;
  }
}

/** A change that was refused because another window has changed the same meanwhile. */
export class ElsewhereError extends ApiError {}

async function request(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error;
    throw new ApiError('Clean Sieve does not answer. Is it still running? Start it again, then reload this page.');
  }
  if (response.ok) return response;
  const body = (await response.json().catch(() => null)) as Partial<SieveConflict> | null;
  if (body?.error !== undefined && body.current) throw new ConflictError({ error: body.error, current: body.current });
  if (body?.elsewhere) throw new ElsewhereError(body.error!, response.status);
  throw new ApiError(body?.error ?? `The server answered ${response.status}`, response.status);
}

async function json<T>(path: string, method = 'GET', body?: unknown, signal?: AbortSignal): Promise<T> {
  const init: RequestInit = { method, signal };
  if (body !== undefined) Object.assign(init, { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } });
  return (await (await request(path, init)).json()) as T;
}

let changesUnderWay = 0;
let changesAnswered = 0;

async function changing<T>(answer: Promise<T>): Promise<T> {
  changesUnderWay++;
  try {
    return await answer;
  } finally {
    changesUnderWay--;
    changesAnswered++;
  }
}

/** Sends something that changes the workspace. */
const send = <T>(path: string, method: 'POST' | 'PATCH' | 'DELETE', body?: unknown) => changing(json<T>(path, method, body));
const remove = (path: string) => changing(request(path, { method: 'DELETE' }));

/**
 * The workspace as it is after all changes of this window; what one of them meets on its way is read once more.
 * @param figures whether figures by zones are waited for until they are of the present
 */
async function workspace(figures = false): Promise<WorkspaceState> {
  for (;;) {
    const before = changesAnswered;
    const state = await json<WorkspaceState>(figures ? '/workspace?figures=wait' : '/workspace');
    if (changesUnderWay === 0 && changesAnswered === before) return state;
  }
}

/** Asks something of a source. */
const ask = <K extends QuestionName>(name: K, sourceId: number, question: Question<K>, signal?: AbortSignal) =>
  json<Answers[K]>(`/sources/${sourceId}/${name}`, 'POST', question, signal);

/** Asks what charts show; what several ask for in one moment goes together. */
const aggregated = aggregatesTogether((sourceId, question, signal) => ask('aggregates', sourceId, question, signal));

export const api = {
  workspace,
  changeWorkspace: (change: WorkspaceChange, from?: WorkspaceChange) => send<WorkspaceState>('/workspace', 'PATCH', { ...change, from }),

  /** Fills an empty workspace with the demo. */
  makeDemo: () => json<WorkspaceState>('/demo', 'POST', {}),

  source: (id: number) => json<SourceInfo>(`/sources/${id}`),
  renameSource: (id: number, name: string) => send<SourceInfo>(`/sources/${id}`, 'PATCH', { name }),
  changeSource: (id: number, change: SourceChange) => send<SourceInfo>(`/sources/${id}`, 'PATCH', change),
  removeSource: (id: number) => remove(`/sources/${id}`),

  async sift(sourceId: number, selection: Selection, signal?: AbortSignal): Promise<{ head: SiftHead; mask: Uint32Array<ArrayBuffer> }> {
    const response = await request(`/sources/${sourceId}/sift`, {
      method: 'POST',
      body: JSON.stringify(selection),
      headers: { 'content-type': 'application/json' },
      signal,
    });
    return unpackSift(await response.arrayBuffer());
  },
  rows: (sourceId: number, body: Question<'rows'>, signal?: AbortSignal) => ask('rows', sourceId, body, signal),
  keys: async (sourceId: number, body: Question<'keys'>) => (await ask('keys', sourceId, body)).keys,
  place: (sourceId: number, body: Question<'place'>) => ask('place', sourceId, body),
  search: (sourceId: number, body: Question<'search'>, signal?: AbortSignal) => ask('search', sourceId, body, signal),
  explain: (sourceId: number, tree: Group, key: FeatureKey, signal?: AbortSignal) => ask('explain', sourceId, { tree, key }, signal),
  /** What can be told of all features that a tree keeps at once. */
  aggregate: async <K extends AggregationKind>(
    sourceId: number,
    selection: Selection,
    aggregation: AggregationOf<K>,
    signal?: AbortSignal,
  ) => {
    if (QUICK.has(aggregation.kind)) return aggregated(sourceId, { selection, aggregation }, signal);
    const question = { ...selection, aggregation };
    return (await json<{ aggregate: Aggregates[K] }>(`/sources/${sourceId}/aggregate`, 'POST', question, signal)).aggregate;
  },
  curve: async (sourceId: number, tree: Group, condition: string, side: Side, signal?: AbortSignal) =>
    (await ask('curve', sourceId, { tree, condition, side }, signal)).curve,
  emptiness: async (sourceId: number, tree: Group, signal?: AbortSignal) => (await ask('emptiness', sourceId, { tree }, signal)).emptiness,
  counts: async (sourceId: number, trees: Group[], signal?: AbortSignal) => (await ask('counts', sourceId, { trees }, signal)).kept,
  /** The class of each row, a byte each. */
  classes: async (sourceId: number, classing: Classing | BySize, signal?: AbortSignal) => {
    const init = { method: 'POST', body: JSON.stringify({ classing }), headers: { 'content-type': 'application/json' }, signal };
    return new Uint8Array(await (await request(`/sources/${sourceId}/classes`, init)).arrayBuffer());
  },
  there: (sourceId: number, body: Question<'there'>, signal?: AbortSignal) => ask('there', sourceId, body, signal),
  labels: (sourceId: number, body: Question<'labels'>, signal?: AbortSignal) => ask('labels', sourceId, body, signal),
  boxes: async (sourceId: number, keys: FeatureKey[], signal?: AbortSignal) => (await ask('boxes', sourceId, { keys }, signal)).boxes,

  addSieve: (sieve: NewSieve) => send<SieveInfo>('/sieves', 'POST', sieve),
  /** @param from the version that the change was made from; throws a ConflictError where the sieve has another by now */
  changeSieve: (id: number, change: SieveChange, from: number | undefined) =>
    send<SieveInfo>(`/sieves/${id}`, 'PATCH', { ...change, from }),
  removeSieve: (id: number) => remove(`/sieves/${id}`),

  publish: (sieveId: number, frozen: boolean) => send<FeedInfo>(`/sieves/${sieveId}/feeds`, 'POST', { frozen }),
  unpublish: (id: string) => remove(`/feeds/${id}`),

  addArea: (area: NewArea) => send<AreaInfo & { repaired: string | null }>('/areas', 'POST', area),
  buffered: (geometry: Geometry, metres: number) => json<BufferedAnswer>('/areas/buffered', 'POST', { geometry, metres }),
  shapeOf: (sourceId: number, selection: Selection) => ask('shape', sourceId, selection),
  nearby: async (sourceId: number, box: Question<'nearby'>['box']) => (await ask('nearby', sourceId, { box })).shapes,
  /** @param from what the change was made from; throws an ElsewhereError where that is something else by now */
  changeArea: (id: number, change: AreaChange, from?: AreaChange) => send<WorkspaceState>(`/areas/${id}`, 'PATCH', { ...change, from }),
  removeArea: (id: number) => remove(`/areas/${id}`),

  extract: (request: ExtractRequest) => json<JobState>('/extracts', 'POST', request),
  previewExtract: (request: ExtractRequest, signal: AbortSignal) => json<PreviewAnswer>('/extracts/preview', 'POST', request, signal),
  extractRows: (request: ExtractRequest) => json<RowsOfLayer>('/extracts/rows', 'POST', request),
  feature: (sourceId: number, key: FeatureKey) => ask('feature', sourceId, { key }),
  page: async (page: PageRequest) =>
    (await request('/pages', { method: 'POST', body: JSON.stringify(page), headers: { 'content-type': 'application/json' } })).blob(),
  extracts: async () => (await json<ExtractsAnswer>('/extracts')).extracts,
  extractAgain: (id: string) => json<JobState>(`/extracts/${id}/again`, 'POST'),
  removeExtract: (id: string) => request(`/extracts/${id}`, { method: 'DELETE' }),
  /** Address of a file of an extract, which stays. */
  extractFile: (id: string, name: string) => `/api/extracts/${id}/${encodeURIComponent(name)}`,
  /** Makes a source that is not brought in. */
  makeSource: (source: MadeSourceRequest) => json<JobState>('/sources', 'POST', source),

  async upload(file: File, into?: string): Promise<string> {
    const query = new URLSearchParams({ name: file.name, ...(into === undefined ? {} : { into }) });
    const response = await request(`/uploads?${query.toString()}`, { method: 'POST', body: file });
    return ((await response.json()) as { upload: string }).upload;
  },
  dropUpload: (upload: string) => request(`/uploads/${upload}`, { method: 'DELETE' }),
  look: (upload: string, files: string[], reading: ReadingChoice) => json<JobState>(`/uploads/${upload}/look`, 'POST', { files, reading }),
  importLayers: (upload: string, layers: LayerChoice[]) => json<JobState>(`/uploads/${upload}/imports`, 'POST', { layers }),
  /** What there is at the address of a service; a key that opens it is kept. */
  surveyService: (address: string, key: { header: string; value: string } | null) =>
    json<JobState>('/services/surveys', 'POST', { address, key }),
  forgetKey: (address: string) =>
    request('/services/keys', { method: 'DELETE', body: JSON.stringify({ address }), headers: { 'content-type': 'application/json' } }),
  /** What would come of a collection. */
  lookAtService: (query: ServiceLookRequest) => json<JobState>('/services/looks', 'POST', query),
  fetchFeatures: (fetched: FetchRequest) => json<{ job: JobState; upload: string }>('/services/fetches', 'POST', fetched),
  fetchAgain: (sourceId: number) => json<JobState>(`/sources/${sourceId}/fetches`, 'POST', {}),
  askAnew: (sourceId: number, otherwise: AskRequest) => json<JobState>(`/sources/${sourceId}/asks`, 'POST', otherwise),
  /** Counts in all that a source holds a sample of. */
  countWhole: (sourceId: number, tree: Group) => json<JobState>(`/sources/${sourceId}/wholes`, 'POST', { tree }),
  systems: async (find: string) => (await json<CrsAnswer>(`/systems?${new URLSearchParams({ find }).toString()}`)).systems,

  bringVersion: (sourceId: number, upload: string, layer: LayerChoice) =>
    json<JobState>(`/sources/${sourceId}/versions`, 'POST', { upload, layer }),
  compareVersion: (sourceId: number, version: number, key: string) =>
    json<JobState>(`/sources/${sourceId}/versions/${version}/compare`, 'POST', { key }),
  partOfVersion: (sourceId: number, version: number, key: string, part: keyof DifferenceRows) =>
    json<JobState>(`/sources/${sourceId}/versions/${version}/parts`, 'POST', { key, part }),
  acceptVersion: (sourceId: number, version: number) => json<JobState>(`/sources/${sourceId}/versions/${version}/accept`, 'POST', {}),
  dropVersion: (sourceId: number, version: number) => request(`/sources/${sourceId}/versions/${version}`, { method: 'DELETE' }),
  measure: (sourceId: number) => json<JobState>(`/sources/${sourceId}/measures`, 'POST', {}),
  repair: (sourceId: number) => json<JobState>(`/sources/${sourceId}/repairs`, 'POST', {}),
  useShapes: (sourceId: number, shapes: SourceInfo['shapes']) => send<SourceInfo>(`/sources/${sourceId}`, 'PATCH', { shapes }),
  remarks: async (sourceId: number) => (await json<RemarksAnswer>(`/sources/${sourceId}/remarks`)).remarks,
  profile: (sourceId: number, column: string) => ask('profile', sourceId, { column }),
  offers: async (sourceId: number, column: string) => (await ask('offers', sourceId, { column })).offers,
  changeColumn: (sourceId: number, column: string, change: ColumnChange, from?: ColumnChange) =>
    send<SourceInfo>(`/sources/${sourceId}/columns/${encodeURIComponent(column)}`, 'PATCH', { ...change, from }),
  /** What an expression gives, before it is kept. */
  lookAtComputed: (sourceId: number, expr: Expr) => json<JobState>(`/sources/${sourceId}/computed/look`, 'POST', { expr }),
  computeColumn: (sourceId: number, column: ComputedColumnRequest) => json<JobState>(`/sources/${sourceId}/computed`, 'POST', column),
  lookAtJoin: (sourceId: number, join: JoinLookRequest) => json<JobState>(`/sources/${sourceId}/joins/look`, 'POST', join),
  joinColumns: (sourceId: number, join: JoinRequest) => json<JobState>(`/sources/${sourceId}/joins`, 'POST', join),
  lookAtPlaced: (sourceId: number, placed: PlacedLookRequest) => json<JobState>(`/sources/${sourceId}/placed/look`, 'POST', placed),
  takeByPlace: (sourceId: number, placed: PlacedRequest) => json<JobState>(`/sources/${sourceId}/placed`, 'POST', placed),
  lookAtZoned: (sourceId: number, zoned: ZonedLookRequest) => json<JobState>(`/sources/${sourceId}/zoned/look`, 'POST', zoned),
  lookAtSpread: (sourceId: number, spread: SpreadLookRequest) => json<JobState>(`/sources/${sourceId}/zoned/spread`, 'POST', spread),
  sumUpByZones: (sourceId: number, zoned: ZonedRequest) => json<JobState>(`/sources/${sourceId}/zoned`, 'POST', zoned),
  lookAtTyped: (sourceId: number, derivation: TypedDerivation) => json<JobState>(`/sources/${sourceId}/typed/look`, 'POST', { derivation }),
  readColumn: (sourceId: number, column: TypedColumnRequest) => json<JobState>(`/sources/${sourceId}/typed`, 'POST', column),
  lookAtAlike: (sourceId: number, alike: Alike) => json<JobState>(`/sources/${sourceId}/alike/look`, 'POST', { alike }),
  tellAlike: (sourceId: number, request: AlikeRequest) => json<JobState>(`/sources/${sourceId}/alike`, 'POST', request),
  removeColumn: (sourceId: number, column: string) =>
    send<SourceInfo>(`/sources/${sourceId}/columns/${encodeURIComponent(column)}`, 'DELETE'),
  addCodeList: (name: string, entries: [string, string][]) => send<WorkspaceState>('/code-lists', 'POST', { name, entries }),
  codeListOfColumns: (sourceId: number, name: string, code: string, meaning: string) =>
    send<WorkspaceState>(`/sources/${sourceId}/code-lists`, 'POST', { name, code, meaning }),
  removeCodeList: (id: number) => send<WorkspaceState>(`/code-lists/${id}`, 'DELETE'),

  /** What of sources is being asked for, as far as it is near to others. */
  asks: () => json<AsksAnswer>('/asks'),
  /** What could not be had is asked for by the next question about it. */
  askAgain: () => request('/asks/failed', { method: 'DELETE' }),
  job: (id: string) => json<JobState>(`/jobs/${id}`),
  cancelJob: (id: string) => request(`/jobs/${id}`, { method: 'DELETE' }),
};
