import { execFileSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { TOP } from '../../e2e/support/own_server.ts';
import { makeBase } from './base.ts';
import { everyKill, nameOf, tryKill } from './kills.ts';
import { OPERATIONS } from './operations.ts';

/** Kills the program at every named step of everything that it does, so many times: `npm run faults`, or `npm run faults -- KILLS`. */
const wanted = Number(process.argv[2] ?? 300);
const SIDE_BY_SIDE = 2;

execFileSync('bash', ['-c', '. scripts/setup.sh && need_server && need_web'], { cwd: TOP });
const base = await makeBase();
const kills = everyKill(OPERATIONS);
let [next, killed, wrong] = [0, 0, 0];
const work = async (worker: number): Promise<void> => {
  while (killed < wanted && next < 3 * wanted) {
    const kill = kills[next++ % kills.length];
    const found = await tryKill(base, kill, `copy ${worker}`);
    if (found.killed) killed++;
    if (found.wrong.length === 0) continue;
    wrong++;
    console.log(`${nameOf(kill)}:\n  ${found.wrong.join('\n  ')}`);
  }
};
await Promise.all(Array.from({ length: SIDE_BY_SIDE }, (_, worker) => work(worker)));
rmSync(base.folder, { recursive: true });
console.log(`${killed} kills at ${kills.length} places, ${wrong} with something wrong afterwards`);
process.exitCode = wrong > 0 ? 1 : 0;
