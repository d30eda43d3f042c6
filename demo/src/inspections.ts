import type { Feature, Point } from 'geojson';
import type { Random } from './random.ts';

const ROWS = 60_000;
const GRADES = [
  ['A', 18],
  ['B', 47],
  ['C', 35],
] as const;

/**
 * The inspection book as CSV: 60,000 visits to trees with day and time, the inspector's grade and the hours that it took. Each tree's
 * last visit is the one that the trees tell of. Some visits have no hours, some no coordinates, and one handheld writes
 * its tree numbers small.
 */
export function inspections(random: Random, trees: readonly Feature[]): string {
  const visited = trees.filter(({ properties }) => properties!.last_inspected !== null);
  const visits = visited.map((tree) => ({ tree, day: String(tree.properties!.last_inspected) }));
  while (visits.length < ROWS) {
    const tree = random.pick(visited);
    const last = Date.parse(String(tree.properties!.last_inspected));
    const before = last - random.whole(90, 2500) * 86_400_000;
    visits.push({ tree, day: new Date(before).toISOString().slice(0, 10) });
  }
  visits.sort((a, b) => (a.day < b.day ? -1 : a.day > b.day ? 1 : 0));
  const lines = ['visit,tree_id,inspected_at,grade,hours,longitude,latitude'];
  for (const [i, { tree, day }] of visits.entries()) {
    const id = String(tree.properties!.tree_id);
    const minutes = random.whole(8 * 60, 16 * 60);
    const time = `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
    const hours = random.chance(0.06) ? '' : String(random.whole(1, 10) / 4);
    const [lon, lat] = random.chance(0.004) ? ['', ''] : (tree.geometry as Point).coordinates;
    const grade = random.weighted(GRADES);
    lines.push([i + 1, random.chance(0.005) ? id.toLowerCase() : id, `${day}T${time}:00+00:00`, grade, hours, lon, lat].join(','));
  }
  return `${lines.join('\n')}\n`;
}
