import { bareText } from '@clean-sieve/core';

/** A city, with what it is called and where it is. */
export interface NamedPlace {
  name: string;
  /** Its country. */
  within: string;
  /** Residents. */
  size: number;
  lon: number;
  lat: number;
}

let loading: Promise<NamedPlace[]> | null = null;

/** Cities of 15,000 people and more, the largest first. */
export function cities(): Promise<NamedPlace[]> {
  loading ??= import('virtual:places').then(({ default: { names, countries, people, at } }) => {
    const named = new Intl.DisplayNames('en', { type: 'region', fallback: 'code' });
    const countryOf = new Map([...new Set(countries)].map((code) => [code, named.of(code) ?? code]));
    return names.map((name, i) => ({
      ...{ name, within: countryOf.get(countries[i]) ?? '', size: people[i] },
      ...{ lon: at[2 * i], lat: at[2 * i + 1] },
    }));
  });
  return loading;
}

/** Places whose name begins with a text, then those that hold it; the larger before the smaller. */
export function placesNamed(places: readonly NamedPlace[], text: string, most: number): NamedPlace[] {
  const wanted = bareText(text.trim());
  if (wanted === '') return [];
  const [first, later]: [NamedPlace[], NamedPlace[]] = [[], []];
  for (const place of places) {
    const at = bareText(place.name).indexOf(wanted);
    if (at === 0) first.push(place);
    else if (at > 0 && later.length < most) later.push(place);
    if (first.length === most) break;
  }
  return [...first, ...later].slice(0, most);
}
