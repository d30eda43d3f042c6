import { Geos } from '@clean-sieve/core';
import { anyCase, AS_OF, difference } from './agree.ts';
import { Random } from './random_lists.ts';
import { LARGE, MIDDLE, SMALL } from './records.ts';
import { Served } from './served.ts';
import { surfaceDifference } from './surfaces.ts';

/**
 * Asks at least so many random filters of random tables, of the engine and of the plain evaluator: `npm run oracle`,
 * or `npm run oracle -- FILTERS SEED`. Every twentieth table goes through the API, the command line, feeds, tiles and files.
 */
const wanted = Number(process.argv[2] ?? 20_000);
const first = Number(process.argv[3] ?? Math.floor(Date.now() / 1000));
const geos = await Geos.open();
const served = await Served.start(AS_OF);
let [asked, wrong] = [0, 0];
console.log(`seeds from ${first}`);
for (let seed = first; asked < wanted; seed++) {
  const random = new Random(seed);
  const rows = random.pick(random.chance(0.9) ? SMALL : random.chance(0.9) ? MIDDLE : LARGE);
  const questions = rows > 20_000 ? 20 : rows > 500 ? 50 : 100;
  const onSurfaces = seed % 20 === 0 && rows > 0 && rows <= 10_000;
  const made = anyCase(random, rows, questions, !onSurfaces && random.chance(0.5));
  asked += questions;
  const found = difference(made, geos) ?? (onSurfaces ? await surfaceDifference(served, made, random) : null);
  if (!found) continue;
  wrong++;
  console.log(`seed ${seed}, ${rows} rows:\n  ${found}`);
  if (wrong >= 10) break;
}
await served.stop();
console.log(`${asked} filters, ${wrong} tables with a difference`);
process.exitCode = wrong > 0 ? 1 : 0;
