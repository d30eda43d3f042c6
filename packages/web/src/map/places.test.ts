import { placesNamed, type NamedPlace } from './places.ts';

const place = (name: string): NamedPlace => ({ name, within: '', size: 1, lon: 0, lat: 0 });

test('names that begin with the text come first, whatever their accents and case', () => {
  const places = ['Zürich', 'New Zurich', 'Zug', 'Zurich Heights'].map(place);
  expect(placesNamed(places, ' zuri', 9).map(({ name }) => name)).toEqual(['Zürich', 'Zurich Heights', 'New Zurich']);
  expect(placesNamed(places, 'zu', 2).map(({ name }) => name)).toEqual(['Zürich', 'Zug']);
  expect(placesNamed(places, '  ', 9)).toEqual([]);
});
