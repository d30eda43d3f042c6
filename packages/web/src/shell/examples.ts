import type { Feature, FeatureCollection } from 'geojson';
import { cities } from '../map/places.ts';
import { countries } from '../map/world.ts';

/** World data that ships with the interface, as files to be brought in like any other. */
export const EXAMPLES = [
  { name: 'Cities of the world', text: '24,000 points with their residents (GeoNames, CC BY 4.0)', file: citiesFile },
  { name: 'Countries', text: '241 countries (Natural Earth 1:50m, public domain)', file: countriesFile },
] as const;

async function citiesFile(): Promise<File> {
  const features = (await cities()).map(({ name, within, size, lon, lat }): Feature => ({
    type: 'Feature',
    properties: { name, country: within, residents: size },
    geometry: { type: 'Point', coordinates: [lon, lat] },
  }));
  return asFile('Cities of the world', features);
}

async function countriesFile(): Promise<File> {
  const features = (await countries()).map(({ name, code, shape }): Feature => ({
    type: 'Feature',
    properties: { name, iso_numeric: code },
    geometry: shape,
  }));
  return asFile('Countries', features);
}

function asFile(name: string, features: Feature[]): File {
  const collection: FeatureCollection = { type: 'FeatureCollection', features };
  return new File([JSON.stringify(collection)], `${name}.geojson`, { type: 'application/geo+json' });
}
