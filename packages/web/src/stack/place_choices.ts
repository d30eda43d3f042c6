import { areaRef, operandRef, type OnePlace } from '@clean-sieve/core';
import { useWorkspace } from '../stores/workspace.ts';

/** A place that a condition can be about, for a list to choose from. */
export interface PlaceChoice {
  value: string;
  title: string;
}

/** Areas, sources and sieves as places, by keys that tell them apart. */
export function usePlaces() {
  const workspace = useWorkspace();

  /** @param sieveId the sieve whose condition it is, which cannot be about itself; null for none */
  function placesFor(sieveId: number | null): PlaceChoice[] {
    return [
      ...workspace.areas.map(({ name }) => ({ value: `area ${name}`, title: `Area · ${name}` })),
      ...workspace.ownSources.map(({ name }) => ({ value: `source ${name}`, title: `Source · ${name}` })),
      ...workspace.sieves
        .filter(({ id }) => id !== sieveId)
        .map((sieve) => ({ value: `sieve ${sieve.id}`, title: `Sieve · ${workspace.nameOf(sieve)}` })),
    ];
  }

  /** The place behind a key. A sieve that is named by its conditions keeps what it is called now. */
  async function placeNamed(key: string): Promise<OnePlace> {
    const [, kind, name] = /^(\w+) (.*)$/s.exec(key)!;
    if (kind === 'area') return areaRef(name);
    if (kind === 'source') return operandRef('SOURCE', name);
    return operandRef('SIEVE', await workspace.namedSieve(Number(name)));
  }

  /** The key of a place; null for a shape that has no name. */
  function nameOfPlace(place: OnePlace): string | null {
    if (!('op' in place) || place.op === 'BUFFER') return null;
    const [name] = place.args;
    if (place.op !== 'SIEVE') return `${place.op.toLowerCase()} ${name}`;
    return `sieve ${workspace.sieveOfName(name)?.id ?? name}`;
  }

  return { placesFor, placeNamed, nameOfPlace };
}
