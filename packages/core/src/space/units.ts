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

/** Square metres in one unit of area. Source: SI; the acre and square mile of the international foot. */
export const AREA_UNITS = {
  m2: 1,
  ha: 10_000,
  km2: 1_000_000,
  ac: 4046.8564224,
  mi2: 2_589_988.110336,
} as const;
export type AreaUnit = keyof typeof AREA_UNITS;

/** The unit of area that a word names, or null. */
export function areaUnit(word: string): AreaUnit | null {
  const key = word.trim().toLowerCase().replace('²', '2');
  return Object.hasOwn(AREA_UNITS, key) ? (key as AreaUnit) : null;
}
