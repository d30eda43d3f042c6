import type { PlaneName } from '@clean-sieve/core';
import Feature from 'ol/Feature.js';
import GeoJSON from 'ol/format/GeoJSON.js';
import { Fill, Stroke, Style } from 'ol/style.js';
import { feature } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';
import { groundLayer, type GroundLayer } from './ground_layer.ts';
import { groundSource } from './ground_source.ts';
import { drawnOnPlane } from './planes.ts';

/** Metres of the plane in a pixel up to which waters of each rank, 1 the largest, are drawn. */
const FARTHEST = [0, Infinity, 10_000, 2500];

/** The answer is kept: the same waters are wanted on every plane. */
let topology: Promise<Topology> | null = null;

async function waters(plane: PlaneName): Promise<Feature[]> {
  topology ??= import('./waters.json?url').then(async ({ default: address }) => (await (await fetch(address)).json()) as Topology);
  const known = await topology;
  const { features } = feature(known, known.objects.waters as GeometryCollection<{ rank: number }>);
  const format = new GeoJSON();
  return features.map(({ geometry, properties: { rank } }) => {
    if (plane === 'mercator')
      return new Feature({ geometry: format.readGeometry(geometry, { featureProjection: 'EPSG:3857' }) ?? undefined, rank });
    const { fill, lines } = drawnOnPlane(geometry, plane);
    return new Feature({ geometry: format.readGeometry(geometry.type === 'MultiPolygon' ? fill : lines) ?? undefined, rank });
  });
}

/** Rivers and lakes of the world (GSHHG 2.3.7, World Data Bank II), the larger ones from afar; they come when they are first drawn. */
export function waterLayer(colours: () => { sea: string; river: string }, plane: () => PlaneName, isKept: boolean): GroundLayer {
  return groundLayer(
    {
      source: groundSource(waters, plane),
      zIndex: 0,
      style: (water, resolution) => {
        const rank = Number(water.get('rank'));
        if (resolution > FARTHEST[rank]) return undefined;
        const { sea, river } = colours();
        const width = resolution > 2500 ? 0.7 : 1.5 - 0.3 * rank;
        const stroke = new Stroke({ color: river, width });
        return water.getGeometry()?.getType() === 'MultiPolygon'
          ? new Style({ fill: new Fill({ color: sea }), stroke })
          : new Style({ stroke });
      },
    },
    isKept,
  );
}
