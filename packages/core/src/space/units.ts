/** Metres in one unit of length. Source: SI; the foot, yard and mile of 1959; the international nautical mile of 1929. */
export const LENGTH_UNITS = {
  m: 1,
  km: 1000,
  ft: 0.3048,
  yd: 0.9144,
  mi: 1609.344,
  nmi: 1852,
} as const;
export type LengthUnit = keyof typeof LENGTH_UNITS;

const SPELLINGS: Record<string, LengthUnit> = {
  ...Object.fromEntries(Object.keys(LENGTH_UNITS).map((unit) => [unit, unit as LengthUnit])),
  ...{ metre: 'm', metres: 'm', meter: 'm', meters: 'm' },
  ...{ kilometre: 'km', kilometres: 'km', kilometer: 'km', kilometers: 'km' },
  ...{ foot: 'ft', feet: 'ft', yard: 'yd', yards: 'yd', mile: 'mi', miles: 'mi' },
  ...{ 'nautical mile': 'nmi', 'nautical miles': 'nmi', nm: 'nmi' },
};

/** The unit that a word names, or null. */
export function lengthUnit(word: string): LengthUnit | null {
  const key = word.trim().toLowerCase();
  return Object.hasOwn(SPELLINGS, key) ? SPELLINGS[key] : null;
}
