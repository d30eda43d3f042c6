import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { z } from 'zod';

/**
 * A coordinate system of the EPSG dataset, as PROJ's database has it, and its best relation to WGS 84 that needs no grid.
 * The list is written by scripts/epsg/write_list.py.
 */
const system = z.object({
  code: z.number(),
  kind: z.enum(['geographic', 'projected']),
  name: z.string(),
  /** In words. */
  area: z.string(),
  /** West, south, east, north of where it is meant to be used, in degrees; west is east of east across the 180° meridian. */
  bbox: z.tuple([z.number(), z.number(), z.number(), z.number()]),
  /** PROJ string of the projection on the ellipsoid; null for what PROJ has no words for. */
  proj: z.string().nullable(),
  /** The first axis points north by the definition; files hold east first all the same (common practice). */
  northFirst: z.boolean(),
  /** OGC 01-009. */
  wkt: z.string().nullable(),
  /** Names of the system and of its datum in the dialect of shapefiles. */
  aliases: z.tuple([z.array(z.string()), z.array(z.string())]),
  /** Another one has taken its place. */
  deprecated: z.boolean().optional(),
  /** The unit of its angles where that is no degree. */
  angle: z.string().optional(),
  /** Left out where the datum is WGS 84 itself, null where there is no relation without a grid. */
  shift: z
    .object({
      /** Three translations (m), three position-vector rotations (arc-seconds), scale (10⁻⁶). */
      towgs84: z.array(z.number()).length(7),
      by: z.array(z.string()),
      metres: z.number(),
    })
    .nullable()
    .optional(),
});
export type ListedSystem = z.infer<typeof system>;

/** From the source, and from the bundle, the list lies in the package's folder `assets`. */
const FILES = ['../../assets', '../assets'].map((folder) => new URL(`${folder}/coordinate_systems.jsonl.gz`, import.meta.url));

let lines: Map<number, string> | null = null;
/** The list as lines of JSON by code: one system is wanted far more often than all. */
function listLines(): Map<number, string> {
  if (lines) return lines;
  const bytes = FILES.map((file) => {
    try {
      return readFileSync(file);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return null;
      throw error;
    }
  }).find((found) => found !== null);
  if (!bytes) throw new Error('The list of coordinate systems is missing');
  lines = new Map();
  for (const line of gunzipSync(bytes).toString().split('\n')) if (line !== '') lines.set(Number(/^\{"code":(\d+)/.exec(line)![1]), line);
  return lines;
}

const known = new Map<number, ListedSystem>();

/** The system with a code; null when the list has none. */
export function listedSystem(code: number): ListedSystem | null {
  let found = known.get(code);
  if (found) return found;
  const line = listLines().get(code);
  if (line === undefined) return null;
  known.set(code, (found = system.parse(JSON.parse(line))));
  return found;
}

export function allSystems(): ListedSystem[] {
  return [...listLines().keys()].map((code) => listedSystem(code)!);
}
