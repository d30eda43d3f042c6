import { brushOverCharts } from './brush_over_charts.ts';
import { inBrowser } from './in_browser.ts';
import { load } from './load.ts';

// What the built application takes, with the targets that it has on an ordinary machine of two cores.
let missed = 0;
const told = (what: string, millis: number, target: number | null) => {
  const over = target !== null && millis > target;
  if (over) missed++;
  return `${what} ${millis.toFixed(0)} ms${target === null ? '' : ` (at most ${target})`}${over ? ' MISSED' : ''}`;
};

const { trivial, asked, moved, slowest } = await load();
console.log(
  `50 clients beside an import, ${asked} answers: ${told('slowest', trivial, 200)}; a moved bound at 250,000 rows: ${told('median', moved, 100)}, ${told('slowest', slowest, null)}`,
);
for (const seen of await inBrowser())
  console.log(
    `${seen.name.padEnd(18)} ${told('first picture', seen.first, 1000)}, ${told('whole', seen.whole, null)}; a moved bound: ${told('median', seen.moved, seen.target)}, ${told('slowest', seen.slowest, null)}; ${told('longest task', seen.task, 100)}`,
  );
const brushed = await brushOverCharts();
console.log(
  `a brush over 1,000,000 points, two sieves, four charts, a graduated map: ${told('count', brushed.count, 100)}, ${told('charts', brushed.charts, 100)}, ${told('picture', brushed.picture, 200)}`,
);
process.exitCode = missed > 0 ? 1 : 0;
