import { unpackDisplay, type DisplayGeometry } from '@clean-sieve/core';
import type {
  FeatureAnswer,
  HistogramAnswer,
  JobState,
  NewSieve,
  RowsAnswer,
  RowsRequest,
  Selection,
  SieveChange,
  SieveInfo,
  SourceInfo,
  ValuesAnswer,
  WorkspaceState,
  Order,
  SiftHead,
} from '@clean-sieve/server/api';
import { unpackSift } from '@clean-sieve/server/api/sift_frame';

/** An answer of the server that says what went wrong. */
export class ApiError extends Error {}

async function request(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error;
    throw new ApiError('Clean Sieve does not answer. Is it still running? Start it again, then reload this page.');
  }
  if (response.ok) return response;
  const body = (await response.json().catch(() => null)) as { error?: string } | null;
  throw new ApiError(body?.error ?? `The server answered ${response.status}`);
}

async function json<T>(path: string, method = 'GET', body?: unknown, signal?: AbortSignal): Promise<T> {
  const init: RequestInit = { method, signal };
  if (body !== undefined)
    Object.assign(init, { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } });
  return (await (await request(path, init)).json()) as T;
}

export const api = {
  workspace: () => json<WorkspaceState>('/workspace'),
  changeWorkspace: (change: { name?: string; asOf?: string | null }) =>
    json<WorkspaceState>('/workspace', 'PATCH', change),

  source: (id: number) => json<SourceInfo>(`/sources/${id}`),
  renameSource: (id: number, name: string) => json<SourceInfo>(`/sources/${id}`, 'PATCH', { name }),
  removeSource: (id: number) => request(`/sources/${id}`, { method: 'DELETE' }),
  async display(id: number): Promise<DisplayGeometry> {
    const bytes = await (await request(`/sources/${id}/display`)).arrayBuffer();
    return unpackDisplay(new Uint8Array(bytes));
  },

  async sift(sourceId: number, selection: Selection): Promise<{ head: SiftHead; mask: Uint32Array<ArrayBuffer> }> {
    const response = await request(`/sources/${sourceId}/sift`, {
      method: 'POST',
      body: JSON.stringify(selection),
      headers: { 'content-type': 'application/json' },
    });
    return unpackSift(await response.arrayBuffer());
  },
  rows: (sourceId: number, body: RowsRequest, signal?: AbortSignal) =>
    json<RowsAnswer>(`/sources/${sourceId}/rows`, 'POST', body, signal),
  place: (sourceId: number, body: Selection & { order: Order; row: number }) =>
    json<{ place: number }>(`/sources/${sourceId}/place`, 'POST', body),
  why: (sourceId: number, tree: Selection['tree'], row: number) =>
    json<FeatureAnswer>(`/sources/${sourceId}/why`, 'POST', { tree, row }),
  values: (sourceId: number, tree: Selection['tree'], column: string) =>
    json<ValuesAnswer>(`/sources/${sourceId}/values`, 'POST', { tree, column }),
  histogram: (sourceId: number, tree: Selection['tree'], column: string, bins: number) =>
    json<HistogramAnswer>(`/sources/${sourceId}/histogram`, 'POST', { tree, column, bins }),

  addSieve: (sieve: NewSieve) => json<SieveInfo>('/sieves', 'POST', sieve),
  changeSieve: (id: number, change: SieveChange) => json<SieveInfo>(`/sieves/${id}`, 'PATCH', change),
  removeSieve: (id: number) => request(`/sieves/${id}`, { method: 'DELETE' }),

  extract: (sourceId: number, tree: Selection['tree'], format: string, name: string) =>
    json<JobState>(`/sources/${sourceId}/extracts`, 'POST', { tree, format, name }),
  subset: (sourceId: number, tree: Selection['tree'], name: string) =>
    json<JobState>(`/sources/${sourceId}/subsets`, 'POST', { tree, name }),

  async bringIn(file: File, lonLat?: { lon: string; lat: string }): Promise<JobState> {
    const query = new URLSearchParams({ name: file.name, ...lonLat });
    return (await (await request(`/imports?${query.toString()}`, { method: 'POST', body: file })).json()) as JobState;
  },
  job: (id: string) => json<JobState>(`/jobs/${id}`),
  cancelJob: (id: string) => request(`/jobs/${id}`, { method: 'DELETE' }),
};
