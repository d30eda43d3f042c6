import { fromMercator, planeNamed, type PlaneName } from '@clean-sieve/core';
import type { Geometry, MultiPolygon, Polygon } from 'geojson';
import Feature from 'ol/Feature.js';
import GeoJSON from 'ol/format/GeoJSON.js';
import { Point, Polygon as PolygonOnMap } from 'ol/geom.js';
import { Fill, Stroke, Style, Text } from 'ol/style.js';
import { feature, mesh } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';
import { cutAtMeridian, partedLand } from './cut_at_meridian.ts';
import { groundLayer, type GroundLayer } from './ground_layer.ts';
import { groundSource } from './ground_source.ts';
import { onMap } from './on_map.ts';
import { drawnOnPlane, earthOn } from './planes.ts';
import { cities } from './places.ts';

const format = new GeoJSON({ featureProjection: 'EPSG:3857' });
/** What is on the plane of the map already. */
const asDrawn = (shape: Geometry) => new Feature(new GeoJSON().readGeometry(shape) ?? undefined);
const onPlane = (shape: Geometry) => new Feature(format.readGeometry(shape) ?? undefined);
/** Land and countries of the whole world (Natural Earth 1:50m, public domain), which ship with the interface. */
const worldTopology = async () => (await import('world-atlas/countries-50m.json')).default as unknown as Topology;

const WEB = () => 'mercator' as const;

/** Land, and on planes that do not go on for ever the sea too. */
export function worldLayer(
  colours: () => { land: string; coast: string; sea?: string },
  plane: () => PlaneName = WEB,
  isKept = false,
): GroundLayer {
  const land = async (name: PlaneName) => {
    const topology = await worldTopology();
    if (name !== 'mercator') {
      const { fill } = drawnOnPlane(feature(topology, topology.objects.land), name);
      const { lines } = drawnOnPlane(mesh(topology, topology.objects.land as GeometryCollection), name);
      const sea = asDrawn(earthOn(name));
      sea.set('sea', true);
      return [sea, asDrawn(fill), asDrawn(lines)];
    }
    const { whole, cut } = partedLand(polygonsIn(topology, 'land'));
    // Each by itself: only what is in view is drawn.
    return [...whole.map((coordinates): Geometry => ({ type: 'Polygon', coordinates })), cut.fill, cut.coast].map(onPlane);
  };
  return groundLayer(
    {
      source: groundSource(land, plane),
      zIndex: 0,
      style: (shape) => {
        const { land, coast, sea } = colours();
        const type = shape.getGeometry()?.getType();
        const fill = new Fill({ color: shape.get('sea') === true ? (sea ?? land) : land });
        if (type === 'MultiPolygon') return new Style({ fill });
        const stroke = new Stroke({ color: coast, width: 0.8 });
        return new Style(type === 'Polygon' ? { fill, stroke } : { stroke });
      },
    },
    isKept,
  );
}

/** The polygons of an object of the world. */
function polygonsIn(topology: Topology, name: string): (Polygon | MultiPolygon)[] {
  const { features } = feature(topology, topology.objects[name] as GeometryCollection);
  return features.flatMap(({ geometry }) => (geometry.type === 'Polygon' || geometry.type === 'MultiPolygon' ? [geometry] : []));
}

/** The countries of the world; the code is that of ISO 3166-1, three digits, where there is one. */
export async function countries(): Promise<{ name: string; code: string | null; shape: MultiPolygon }[]> {
  const topology = await worldTopology();
  const { features } = feature(topology, topology.objects.countries as GeometryCollection<{ name: string }>);
  return features.map((country) => ({
    name: country.properties.name,
    code: country.id === undefined ? null : String(country.id),
    shape: cutAtMeridian(country).fill,
  }));
}

/** Borders between countries. */
export function borderLayer(colours: () => { coast: string }, plane: () => PlaneName, isKept: boolean): GroundLayer {
  const borders = async (name: PlaneName) => {
    const topology = await worldTopology();
    const all = topology.objects.countries as GeometryCollection;
    const lines = mesh(topology, all, (one, other) => one !== other);
    return [name === 'mercator' ? onPlane(lines) : asDrawn(drawnOnPlane(lines, name).lines)];
  };
  return groundLayer(
    {
      source: groundSource(borders, plane),
      zIndex: 0,
      style: () => new Style({ stroke: new Stroke({ color: colours().coast, width: 0.7, lineDash: [5, 3] }) }),
    },
    isKept,
  );
}

/** Names of countries and cities, each where there is room for it. */
export function nameLayer(colours: () => { name: string; halo: string }, plane: () => PlaneName, isKept: boolean): GroundLayer {
  /** Metres of the plane in a pixel beyond which a name is not shown, by its feature. */
  const farthest = new WeakMap<object, number>();
  const add = (name: string, point: Point, resolution: number, isCountry: boolean) => {
    const one = new Feature({ geometry: point, name, isCountry });
    farthest.set(one, resolution);
    return one;
  };
  const names = async (on: PlaneName) => {
    const ofCountries = (await countries()).flatMap(({ name, shape }) => {
      const largest = largestPolygon(shape);
      if (!largest) return [];
      // A letter is some seven pixels wide.
      const across = largest.getExtent()[2] - largest.getExtent()[0];
      const middle = new Point(largest.getInteriorPoint().getCoordinates().slice(0, 2));
      return add(name, middle, across / (name.length * 5), true);
    });
    const ofCities = (await cities()).map(({ name, size, lon, lat }) => {
      const [x, y] = onMap([lon, lat, lon, lat]);
      return add(name, new Point([x, y]), size / 60, false);
    });
    const all = [...ofCountries, ...ofCities];
    if (on === 'mercator') return all;
    const { forward, latitudes } = planeNamed(on);
    return all.filter((one) => {
      const [x, y] = one.getGeometry()!.getCoordinates();
      const [lon, lat] = fromMercator(x, y);
      one.setGeometry(new Point(forward(lon, lat)));
      return lat > latitudes[0] && lat < latitudes[1];
    });
  };
  return groundLayer(
    {
      source: groundSource(names, plane),
      zIndex: 2,
      declutter: true,
      // What is known from afar goes before what is not.
      renderOrder: (one, other) => (farthest.get(other) ?? 0) - (farthest.get(one) ?? 0),
      style: (one, resolution) => {
        if (resolution > (farthest.get(one) ?? 0)) return undefined;
        const isCountry = one.get('isCountry') === true;
        if (isCountry && resolution < 150) return undefined;
        const { name, halo } = colours();
        return new Style({
          text: new Text({
            text: String(one.get('name')),
            font: isCountry ? "600 13px 'Source Sans 3 Variable', sans-serif" : "12.5px 'Source Sans 3 Variable', sans-serif",
            fill: new Fill({ color: name }),
            stroke: new Stroke({ color: halo, width: 3 }),
            padding: [3, 4, 3, 4],
          }),
        });
      },
    },
    isKept,
  );
}

function largestPolygon({ coordinates }: MultiPolygon): PolygonOnMap | null {
  const polygons = coordinates.map((rings) => new PolygonOnMap(rings).transform('EPSG:4326', 'EPSG:3857'));
  return polygons.sort((a, b) => b.getArea() - a.getArea())[0] ?? null;
}
