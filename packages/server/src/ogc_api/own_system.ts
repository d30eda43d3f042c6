import { geometryAt, ReadError, TableBuilder, toLonLat, type Crs, type FeatureTable } from '@clean-sieve/core';
import { z } from 'zod';
import type { ServiceCollection } from '../api/contract.ts';
import { crsOfClue, northFirst } from '../crs/epsg.ts';
import { turnedGeometry } from '../feeds/params.ts';
import { NOTHING } from '../fetching/meant.ts';
import { itemsAddress, pageAt } from './fetch_pages.ts';
import type { ServiceClient } from './service_client.ts';

/** A system other than longitude and latitude in which a service gives coordinates (OGC 18-058r1). */
export interface OwnSystem {
  uri: string;
  crs: Crs;
  /** The first coordinate points north. */
  northFirst: boolean;
}

/** The system in which a collection is kept, where the service declares that it gives coordinates in it and it can be used here. */
export function declaredSystem(conformance: readonly string[], { storage, systems }: ServiceCollection): OwnSystem | null {
  if (storage === null || !conformance.some((uri) => /\/ogcapi-features-2\/[\d.]+\/(conf|req)\/crs$/.test(uri))) return null;
  // “#/crs” stands for a list that all collections have in common.
  const isGiven = systems.some((uri) => uri === storage || uri.startsWith('#'));
  const [, code] = /\/EPSG\/[^/]+\/(\d+)$/.exec(storage) ?? [];
  if (!isGiven || code === undefined || code === '4326') return null;
  const crs = crsOfClue({ kind: 'epsg', code: Number(code) });
  return crs && { uri: storage, crs, northFirst: northFirst(code) };
}

/** Features that are asked for in both systems. */
const TRIED = 10;
/** Degrees by which the same place may differ: what services and we know of the shift between two datums differs by less. */
const NEAR = 0.01;

const placed = z.object({ geometry: z.object({ coordinates: z.array(z.unknown()) }) });
/** The first position of a shape; null where there is none. */
function firstPosition(coordinates: unknown[]): [number, number] | null {
  const [first, second] = coordinates;
  if (Array.isArray(first)) return firstPosition(first);
  return typeof first === 'number' && typeof second === 'number' ? [first, second] : null;
}

/**
 * The same system with the axes in the order in which the service gives them, by some features that it gives in longitude and latitude
 * too: not every service has the order of the definition. Null where they do not agree, or cannot be compared; then longitude and
 * latitude are what is asked for.
 */
export async function provedSystem(client: ServiceClient, items: URL, system: OwnSystem): Promise<OwnSystem | null> {
  const first = async (own: OwnSystem | null) => {
    const { features } = await pageAt(client, itemsAddress(items, NOTHING, null, TRIED, own), own);
    return features.flatMap(({ text, id }) => {
      const { data } = placed.safeParse(JSON.parse(text));
      const at = data && firstPosition(data.geometry.coordinates);
      return at ? [{ id, at }] : [];
    });
  };
  const plain = await first(null);
  const own = await first(system).catch((error: unknown) => {
    // It declares what it does not give.
    if (error instanceof ReadError) return [];
    throw error;
  });
  // Meanwhile others may have come first.
  const both = own.flatMap(({ id, at }, i) => {
    const same = id === null ? plain.at(i) : plain.find((one) => one.id === id);
    return same ? [{ at, degrees: same.at }] : [];
  });
  const inDegrees = toLonLat(system.crs);
  for (const turned of both.length === 0 ? [] : [system.northFirst, !system.northFirst]) {
    const agrees = both.every(({ at: [x, y], degrees: [lon, lat] }) => {
      const [ownLon, ownLat] = turned ? inDegrees(y, x) : inDegrees(x, y);
      return Math.abs(ownLon - lon) < NEAR && Math.abs(ownLat - lat) < NEAR;
    });
    if (agrees) return { ...system, northFirst: turned };
  }
  return null;
}

/** Features as they came, with their axes in the order that they have here. */
export function withAxesOf(table: FeatureTable, { northFirst: turned }: OwnSystem): FeatureTable {
  if (!turned) return table;
  const builder = new TableBuilder();
  for (let row = 0; row < table.rows; row++) {
    const geometry = geometryAt(table, row);
    builder.addFeature(geometry && turnedGeometry(geometry), null);
  }
  return { ...table, geometry: builder.finish().geometry };
}
