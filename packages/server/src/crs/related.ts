import type { ListedSystem } from './systems.ts';

/** Methods that the projection library carries out; each is compared with PROJ in the tests, system by system. */
const METHODS =
  /^\+proj=(?:longlat|tmerc|utm|merc|lcc|aea|laea|aeqd|cass|poly|sterea|stere|cea|eqc|bonne|omerc|somerc|krovak|nzmg|sinu|moll|robin|mill|vandg|eqdc|gnom|eqearth|gstmerc)\b/;

/** Why a system cannot be used here; null when it can. */
export function refusalOf({ code, proj, angle }: ListedSystem): string | null {
  if (proj === null || !METHODS.test(proj) || / \+(?:hyperbolic|guam)\b/.test(proj))
    return 'its map projection is not among those known here';
  if (angle !== undefined) return `its coordinates are in ${angle}s`;
  return REFUSED.has(code) ? 'its map projection differs from its published definition here' : null;
}

/** Systems that the projection library puts elsewhere than PROJ does, by 2 cm to some hundred metres (against_proj.test.ts). */
const REFUSED = new Set([2997, 3058, 3303, 4643, 4657, 4660, 4688, 4805, 5132, 5169, 5170, 5171, 5172, 8044, 8045, 28191]);

/** The PROJ string with the relation to WGS 84. */
export function definitionOf({ proj, shift }: Pick<ListedSystem, 'proj' | 'shift'>): string {
  const relation = !shift ? '' : shift.towgs84.slice(3).every((value) => value === 0) ? shift.towgs84.slice(0, 3) : shift.towgs84;
  return `${proj}${relation === '' ? '' : ` +towgs84=${relation.join(',')}`} +no_defs`;
}

/** What the relation to WGS 84 is and how good, in words; null where there is none to speak of. */
export function relationOf(name: string, shift: ListedSystem['shift']): string | null {
  if (shift === undefined) return null;
  if (shift === null)
    return `How ${name} relates to WGS 84 is only published as a grid, which does not ship with this program. Its coordinates are taken as they stand: on the map and in other systems they can be off by some hundred metres. Within the source itself nothing is moved.`;
  const same = shift.towgs84.every((value) => value === 0);
  const how = shift.by.length > 0 ? ` by ${shift.by.join(', then ')}` : '';
  if (same && shift.metres <= 1) return null;
  return same
    ? `${name} is taken as equal to WGS 84${how}, which is good to about ${shift.metres} m.`
    : `${name} is related to WGS 84${how}, good to about ${shift.metres} m.`;
}
