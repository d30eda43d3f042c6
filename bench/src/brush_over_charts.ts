import { chromium, selectors, type Page } from 'playwright-core';
import { Random } from '../../demo/src/random.ts';
import { withServer } from './with_server.ts';

/** What a moved brush takes until all that follows it is on the screen, in milliseconds: medians of several moves. */
export interface Brushed {
  /** To the count of what is kept. */
  count: number;
  /** To the last of the charts. */
  charts: number;
  /** To the picture of the map. */
  picture: number;
}

const ROWS = 1_000_000;
const MOVES = 8;
const KINDS = ['oak', 'ash', 'elm', 'fir', 'yew', 'fig', 'may'];

function layer(): string {
  const random = new Random(11);
  const lines = ['lon,lat,v,w,kind,day'];
  for (let n = 0; n < ROWS; n++) {
    const v = random.next() * 100;
    const day = new Date(Date.UTC(1990, 0, 1 + Math.floor(random.next() * 12_000))).toISOString().slice(0, 10);
    const place = `${(random.next() * 20).toFixed(6)},${(40 + random.next() * 12).toFixed(6)}`;
    lines.push(`${place},${v.toFixed(2)},${(v + random.next() * 30).toFixed(2)},${random.pick(KINDS)},${day}`);
  }
  return lines.join('\n');
}

const between = (column: string, low: number, high: number) => ({
  ...{ kind: 'group', id: 'root', combine: 'all' },
  children: [{ kind: 'condition', id: `c ${column}`, expr: { op: 'between', args: [{ property: column }, low, high] } }],
});
const STYLE = {
  classing: { kind: 'steps', column: 'w', method: 'own', bounds: [30, 60, 90, 110], ramp: 'tide', middle: null },
  hidden: [],
  opacity: 1,
};
const CHARTS = [
  { id: 'a', kind: 'histogram', column: 'v' },
  { id: 'b', kind: 'bars', column: 'kind' },
  { id: 'c', kind: 'times', column: 'day' },
  { id: 'd', kind: 'scatter', x: 'v', y: 'w' },
];

/** A brush over a million points with four charts beside the map, two sieves and a graduated map. */
export async function brushOverCharts(): Promise<Brushed> {
  return withServer(async (client, url) => {
    const [sourceId] = await client.bringIn({ 'many.csv': layer() });
    const sieve = { sourceId, colour: 0, visible: true };
    await client.send('POST', 'api/sieves', { ...sieve, name: 'other', tree: between('w', 100, 130), colour: 1 });
    const { id } = await client.send<{ id: number }>('POST', 'api/sieves', { ...sieve, name: 'brushed', tree: between('v', 20, 80) });
    await client.send('PATCH', `api/sieves/${id}`, { style: STYLE, view: { charts: CHARTS, table: null, hover: null, maps: null } });
    selectors.setTestIdAttribute('data-test');
    const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      await page.goto(`${url}sieve/${id}`);
      await page.getByTestId('charts-tab').click();
      await page.getByTestId('chart-histogram').getByRole('slider').first().waitFor();
      await page.locator('canvas[data-features=drawn]').first().waitFor();
      await page.waitForTimeout(4000);
      const moves: Brushed[] = [];
      for (let n = 0; n < MOVES; n++) moves.push(await moved(page));
      const median = (of: keyof Brushed) => moves.map((one) => one[of]).sort((a, b) => a - b)[MOVES >> 1];
      return { count: median('count'), charts: median('charts'), picture: median('picture') };
    } finally {
      await browser.close();
    }
  });
}

declare global {
  interface Window {
    brushed?: Promise<Brushed>;
  }
}

/** One step of the lower end of the brush, as the page itself sees what comes of it; all has settled afterwards. */
async function moved(page: Page): Promise<Brushed> {
  await page.getByTestId('chart-histogram').getByRole('slider').first().focus();
  // It watches before the key comes, which goes another way.
  await page.evaluate(() => {
    window.brushed = new Promise((resolve) => {
      const times = { count: 0, charts: 0, picture: 0 };
      let began = 0;
      window.addEventListener('keydown', () => (began = performance.now()), { capture: true, once: true });
      const kept = document.querySelector('[data-test=kept]')!;
      const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-features]')!;
      const before = [kept.textContent, canvas.dataset.pictures];
      const watched = new MutationObserver(() => (times.charts = performance.now()));
      // The histogram itself follows its own brush at once.
      for (const chart of document.querySelectorAll('[data-test=charts] > section:not([data-test=chart-histogram])'))
        watched.observe(chart, { subtree: true, childList: true, attributes: true, characterData: true });
      const look = () => {
        const now = performance.now();
        if (times.count === 0 && kept.textContent !== before[0]) times.count = now;
        if (times.picture === 0 && canvas.dataset.pictures !== before[1]) times.picture = now;
        if (began === 0 || now - began < SETTLED) return requestAnimationFrame(look);
        watched.disconnect();
        resolve({ count: times.count - began, charts: times.charts - began, picture: times.picture - began });
      };
      const SETTLED = 1500;
      look();
    });
  });
  await page.keyboard.press('ArrowRight');
  return page.evaluate(() => window.brushed!);
}
