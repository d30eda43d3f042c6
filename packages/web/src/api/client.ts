import type { Geometry } from 'geojson';
import type { Derivation, DifferenceRows, Group, Side } from '@clean-sieve/core';
import type {
  Answers,
  AreaChange,
  AreaInfo,
  BufferedAnswer,
  NewArea,
  ColumnChange,
  CrsAnswer,
  ExtractLayer,
  ExtractRequest,
  ExtractsAnswer,
  FeedInfo,
  JobState,
  LayerChoice,
  NewSieve,
  PageRequest,
  PreviewAnswer,
  Question,
  QuestionName,
  ReadingChoice,
  RemarksAnswer,
  RowsOfLayer,
  Selection,
  SieveChange,
  SieveConflict,
  SieveInfo,
  SourceInfo,
  WorkspaceChange,
  WorkspaceState,
  SiftHead,
} from '@clean-sieve/server/api';
import { unpackSift } from '@clean-sieve/server/api/sift_frame';

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

/** Asks something of a source. */
const ask = <K extends QuestionName>(name: K, sourceId: number, question: Question<K>, signal?: AbortSignal) =>
  json<Answers[K]>(`/sources/${sourceId}/${name}`, 'POST', question, signal);

export const api = {
  workspace: () => json<WorkspaceState>('/workspace'),
  changeWorkspace: (change: WorkspaceChange, from?: WorkspaceChange) => json<WorkspaceState>('/workspace', 'PATCH', { ...change, from }),

  source: (id: number) => json<SourceInfo>(`/sources/${id}`),
  renameSource: (id: number, name: string) => json<SourceInfo>(`/sources/${id}`, 'PATCH', { name }),
  removeSource: (id: number) => request(`/sources/${id}`, { method: 'DELETE' }),

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
  rowNumbers: async (sourceId: number, body: Question<'rowNumbers'>) => (await ask('rowNumbers', sourceId, body)).rows,
  place: (sourceId: number, body: Question<'place'>) => ask('place', sourceId, body),
  why: (sourceId: number, tree: Group, row: number, signal?: AbortSignal) => ask('why', sourceId, { tree, row }, signal),
  values: (sourceId: number, tree: Group, column: string, signal?: AbortSignal) => ask('values', sourceId, { tree, column }, signal),
  histogram: (sourceId: number, tree: Group, column: string, bins: number, signal?: AbortSignal) =>
    ask('histogram', sourceId, { tree, column, bins }, signal),
  curve: async (sourceId: number, tree: Group, condition: string, side: Side, signal?: AbortSignal) =>
    (await ask('curve', sourceId, { tree, condition, side }, signal)).curve,
  emptiness: async (sourceId: number, tree: Group, signal?: AbortSignal) => (await ask('emptiness', sourceId, { tree }, signal)).emptiness,
  counts: async (sourceId: number, trees: Group[], signal?: AbortSignal) => (await ask('counts', sourceId, { trees }, signal)).kept,
  times: async (sourceId: number, tree: Group, column: string, signal?: AbortSignal) =>
    (await ask('times', sourceId, { tree, column }, signal)).times,
  figures: (sourceId: number, tree: Group, column: string, signal?: AbortSignal) => ask('figures', sourceId, { tree, column }, signal),
  there: (sourceId: number, body: Question<'there'>, signal?: AbortSignal) => ask('there', sourceId, body, signal),
  boxes: async (sourceId: number, rows: number[], signal?: AbortSignal) => (await ask('boxes', sourceId, { rows }, signal)).boxes,
  extent: (sourceId: number, tree: Group) => ask('extent', sourceId, { tree }),

  addSieve: (sieve: NewSieve) => json<SieveInfo>('/sieves', 'POST', sieve),
  /** @param from the version that the change was made from; throws a ConflictError where the sieve has another by now */
  changeSieve: (id: number, change: SieveChange, from: number | undefined) =>
    json<SieveInfo>(`/sieves/${id}`, 'PATCH', { ...change, from }),
  removeSieve: (id: number) => request(`/sieves/${id}`, { method: 'DELETE' }),

  publish: (sieveId: number, frozen: boolean) => json<FeedInfo>(`/sieves/${sieveId}/feeds`, 'POST', { frozen }),
  unpublish: (id: string) => request(`/feeds/${id}`, { method: 'DELETE' }),

  addArea: (area: NewArea) => json<AreaInfo & { repaired: string | null }>('/areas', 'POST', area),
  buffered: (geometry: Geometry, metres: number) => json<BufferedAnswer>('/areas/buffered', 'POST', { geometry, metres }),
  shapeOf: (sourceId: number, tree: Group, row: number | null) => ask('shape', sourceId, { tree, row }),
  nearby: async (sourceId: number, box: Question<'nearby'>['box']) => (await ask('nearby', sourceId, { box })).shapes,
  /** @param from what the change was made from; throws an ElsewhereError where that is something else by now */
  changeArea: (id: number, change: AreaChange, from?: AreaChange) => json<WorkspaceState>(`/areas/${id}`, 'PATCH', { ...change, from }),
  removeArea: (id: number) => request(`/areas/${id}`, { method: 'DELETE' }),

  extract: (request: ExtractRequest) => json<JobState>('/extracts', 'POST', request),
  previewExtract: (request: ExtractRequest, signal: AbortSignal) => json<PreviewAnswer>('/extracts/preview', 'POST', request, signal),
  extractRows: (request: ExtractRequest) => json<RowsOfLayer>('/extracts/rows', 'POST', request),
  feature: (sourceId: number, row: number) => ask('feature', sourceId, { row }),
  page: async (page: PageRequest) =>
    (await request('/pages', { method: 'POST', body: JSON.stringify(page), headers: { 'content-type': 'application/json' } })).blob(),
  extracts: async () => (await json<ExtractsAnswer>('/extracts')).extracts,
  extractAgain: (id: string) => json<JobState>(`/extracts/${id}/again`, 'POST'),
  removeExtract: (id: string) => request(`/extracts/${id}`, { method: 'DELETE' }),
  /** Address of a file of an extract, which stays. */
  extractFile: (id: string, name: string) => `/api/extracts/${id}/${encodeURIComponent(name)}`,
  /** A layer as a new source of that name. */
  subset: (layer: ExtractLayer, name: string) => json<JobState>('/sources', 'POST', { ...layer, name }),

  async upload(file: File, into?: string): Promise<string> {
    const query = new URLSearchParams({ name: file.name, ...(into === undefined ? {} : { into }) });
    const response = await request(`/uploads?${query.toString()}`, { method: 'POST', body: file });
    return ((await response.json()) as { upload: string }).upload;
  },
  dropUpload: (upload: string) => request(`/uploads/${upload}`, { method: 'DELETE' }),
  look: (upload: string, files: string[], reading: ReadingChoice) => json<JobState>(`/uploads/${upload}/look`, 'POST', { files, reading }),
  importLayers: (upload: string, layers: LayerChoice[]) => json<JobState>(`/uploads/${upload}/imports`, 'POST', { layers }),
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
  useShapes: (sourceId: number, shapes: SourceInfo['shapes']) => json<SourceInfo>(`/sources/${sourceId}`, 'PATCH', { shapes }),
  remarks: async (sourceId: number) => (await json<RemarksAnswer>(`/sources/${sourceId}/remarks`)).remarks,
  profile: (sourceId: number, column: string) => ask('profile', sourceId, { column }),
  offers: async (sourceId: number, column: string) => (await ask('offers', sourceId, { column })).offers,
  changeColumn: (sourceId: number, column: string, change: ColumnChange, from?: ColumnChange) =>
    json<SourceInfo>(`/sources/${sourceId}/columns/${encodeURIComponent(column)}`, 'PATCH', { ...change, from }),
  deriveColumn: (sourceId: number, name: string, derivation: Derivation) =>
    json<SourceInfo>(`/sources/${sourceId}/columns`, 'POST', { name, derivation }),
  removeColumn: (sourceId: number, column: string) =>
    json<SourceInfo>(`/sources/${sourceId}/columns/${encodeURIComponent(column)}`, 'DELETE'),
  addCodeList: (name: string, entries: [string, string][]) => json<WorkspaceState>('/code-lists', 'POST', { name, entries }),
  codeListOfColumns: (sourceId: number, name: string, code: string, meaning: string) =>
    json<WorkspaceState>(`/sources/${sourceId}/code-lists`, 'POST', { name, code, meaning }),
  removeCodeList: (id: number) => json<WorkspaceState>(`/code-lists/${id}`, 'DELETE'),

  job: (id: string) => json<JobState>(`/jobs/${id}`),
  cancelJob: (id: string) => request(`/jobs/${id}`, { method: 'DELETE' }),
};
