import { execFileSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { TOP } from '../../e2e/support/own_server.ts';
import { Random } from '../oracle/random_lists.ts';
import { damagedFile, howItEnds, soundFiles } from './corpus.ts';

/** Reads so many damaged files of every format by the command line: `npm run corpus`, or `npm run corpus -- FILES SEED`. */
const wanted = Number(process.argv[2] ?? 1000);
const seed = Number(process.argv[3] ?? Math.floor(Date.now() / 1000));
const SIDE_BY_SIDE = 2;

execFileSync('bash', ['-c', '. scripts/setup.sh && need_server'], { cwd: TOP });
const folder = await soundFiles();
let [next, wrong] = [0, 0];
console.log(`seeds from ${seed}`);
const work = async (): Promise<void> => {
  while (next < wanted) {
    const number = next++;
    const { name, path } = damagedFile(folder, new Random(seed + number), number);
    const problem = await howItEnds(path);
    if (problem !== null) {
      wrong++;
      console.log(`seed ${seed + number}, ${name}: ${problem}`);
    }
    rmSync(path);
  }
};
await Promise.all(Array.from({ length: SIDE_BY_SIDE }, work));
rmSync(folder, { recursive: true });
console.log(`${wanted} damaged files, ${wrong} ended otherwise than they should`);
process.exitCode = wrong > 0 ? 1 : 0;
