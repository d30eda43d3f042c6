import { feature } from 'topojson-client';
import type { Feature, FeatureCollection } from 'geojson';
import type { Topology } from 'topojson-specification';
import type { LayerInfo, ReadOptions, ReadResult } from '../format.ts';
import type { Input } from '../input.ts';
import { parseJson } from '../../features/exact_json.ts';
import { ReadError } from '../read_error.ts';
import { Taking } from '../taking.ts';

async function topologyOf(input: Input): Promise<Topology> {
  let value: unknown;
  try {
    value = parseJson(new TextDecoder('utf-8', { fatal: true }).decode(await input.bytes()));
  } catch (error) {
    throw new ReadError(`${input.name} is not valid JSON: ${(error as Error).message}`);
  }
  const topology = value as Topology;
  if (topology.type !== 'Topology' || typeof topology.objects !== 'object' || !Array.isArray(topology.arcs))
    throw new ReadError(`${input.name} is not TopoJSON: it needs the type "Topology", “objects” and “arcs”`);
  return topology;
}

/** The objects of a topology, each a layer. */
export async function layersOfTopoJson(input: Input): Promise<LayerInfo[]> {
  const { objects } = await topologyOf(input);
  return Object.entries(objects).map(([name, object]) => ({
    name,
    features: object.type === 'GeometryCollection' ? object.geometries.length : 1,
    geometry: null,
    attributesOnly: false,
  }));
}

/** Reads one object of a TopoJSON topology. Coordinates are taken as longitude and latitude (common practice; the format does not say). */
export async function readTopoJson(input: Input, options: ReadOptions): Promise<ReadResult> {
  const topology = await topologyOf(input);
  const name = options.layer ?? Object.keys(topology.objects)[0];
  if (!Object.hasOwn(topology.objects, name ?? ''))
    throw new ReadError(`There is no layer ${name} in ${input.name}`, `Its layers are ${Object.keys(topology.objects).join(', ')}`);
  const taking = new Taking(options);
  let result: Feature | FeatureCollection;
  try {
    result = feature(topology, topology.objects[name]);
  } catch {
    throw new ReadError(`${input.name}: a shape of ${name} names an arc that is not there`);
  }
  for (const [i, one] of (result.type === 'Feature' ? [result] : result.features).entries()) {
    if (taking.full) break;
    taking.feature(one.geometry, one.properties, `Feature ${i + 1}`, one.id);
  }
  return taking.result({ kind: 'crs84' });
}
