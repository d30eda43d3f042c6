import { chromium, selectors, type Page } from 'playwright-core';
import { Random } from '../../demo/src/random.ts';
import type { Client } from '../../e2e/support/api_client.ts';
import { withServer } from './with_server.ts';

/** What the interface takes for a source in the browser, in milliseconds. */
export interface Seen {
  name: string;
  /** From the click on the source to the first picture of it, and to the whole of it. */
  first: number;
  whole: number;
  /** From the move of a handle to the picture that follows it: the median and the longest of several. */
  moved: number;
  slowest: number;
  /** That the median is to be at most. */
  target: number;
  /** The longest task of the interface meanwhile. */
  task: number;
}

const MOVES = 12;
const TREE = {
  ...{ kind: 'group', id: 'root', combine: 'all' },
  children: [{ kind: 'condition', id: 'c', expr: { op: 'between', args: [{ property: 'v' }, 30, 90] } }],
};
const NINE_STEPS = {
  classing: { kind: 'steps', column: 'v', method: 'own', bounds: [35, 40, 45, 50, 55, 60, 70, 80], ramp: 'tide', middle: null },
  hidden: [],
  opacity: 1,
};
type Making = (random: Random) => string;
const feature = (n: number, geometry: object, v: number) => JSON.stringify({ type: 'Feature', geometry, properties: { n, v } });

const LAYERS: Record<string, Making> = {
  '1,000,000 points': (random) => {
    const lines = ['lon,lat,v'];
    for (let n = 0; n < 1_000_000; n++)
      lines.push(`${(random.next() * 20).toFixed(6)},${(40 + random.next() * 12).toFixed(6)},${(random.next() * 100).toFixed(3)}`);
    return lines.join('\n');
  },
  '250,000 polygons': (random) => {
    const features = [];
    for (let n = 0; n < 250_000; n++) {
      const [x, y, r] = [random.next() * 20, 40 + random.next() * 12, 0.005 + random.next() * 0.02];
      const ring = Array.from({ length: 12 }, (_, k) => [x + r * Math.cos((k * Math.PI) / 6), y + r * Math.sin((k * Math.PI) / 6)]);
      features.push(feature(n, { type: 'Polygon', coordinates: [[...ring, ring[0]]] }, random.next() * 100));
    }
    return features.join('\n');
  },
  '1,000,000 corners': (random) => {
    const ring = Array.from({ length: 1_000_000 }, (_, k) => {
      const angle = (2 * Math.PI * k) / 1_000_000;
      const r = 8 + Math.sin(angle * 40) + random.next() * 0.02;
      return [10 + r * Math.cos(angle), 46 + 0.6 * r * Math.sin(angle)];
    });
    return feature(0, { type: 'Polygon', coordinates: [[...ring, ring[0]]] }, 50);
  },
};

/** Shows large sources in Chromium and measures how long it takes to see them, and to see a change. */
export async function inBrowser(): Promise<Seen[]> {
  return withServer(async (client, url) => {
    const sieves = await bringInAll(client);
    selectors.setTestIdAttribute('data-test');
    const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu'] });
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      await page.addInitScript(() => {
        const seen = ((window as unknown as { tasks: number[] }).tasks = [] as number[]);
        new PerformanceObserver((list) => seen.push(...list.getEntries().map(({ duration }) => duration))).observe({ type: 'longtask' });
      });
      await page.goto(url);
      await page.getByTestId('map').waitFor();
      await page.waitForTimeout(2500);
      const outcomes: Seen[] = [];
      for (const { name } of sieves) outcomes.push(await show(page, name));
      // The same drawn by steps of a number.
      const [points] = sieves;
      await client.send('PATCH', `api/sieves/${points.id}`, { style: NINE_STEPS, tree: TREE });
      await page.reload();
      outcomes.push({ ...(await show(page, points.name)), name: `${points.name} in 9`, target: 200 });
      return outcomes;
    } finally {
      await browser.close();
    }
  });
}

async function bringInAll(client: Client): Promise<{ name: string; id: number }[]> {
  const random = new Random(7);
  // Something small to begin with.
  await client.bringIn({ 'begin.geojson': feature(0, { type: 'Point', coordinates: [0, 0] }, 1) });
  const sieves: { name: string; id: number }[] = [];
  for (const [name, make] of Object.entries(LAYERS)) {
    const ending = name.endsWith('points') ? 'csv' : 'geojsonl';
    const [sourceId] = await client.bringIn({ [`${name}.${ending}`]: make(random) });
    const sieve = { sourceId, name: `some of ${name}`, tree: TREE, colour: 0, visible: false };
    const { id } = await client.send<{ id: number }>('POST', 'api/sieves', sieve);
    sieves.push({ name, id });
  }
  return sieves;
}

async function show(page: Page, name: string): Promise<Seen> {
  await page.getByRole('button', { name: 'begin', exact: true }).click();
  await drawn(page);
  await page.evaluate(() => ((window as unknown as { tasks: number[] }).tasks.length = 0));
  const { first, whole } = await timed(page, () => page.getByRole('button', { name: `some of ${name}`, exact: true }).click());
  await drawn(page);
  await page.locator('.stack').getByText(/30/).first().click();
  const low = page.getByTestId('low').locator('input');
  await low.waitFor();
  await drawn(page);
  const moves: number[] = [];
  for (let n = 0; n < MOVES; n++) {
    const { first: time } = await timed(page, () => low.fill(String(30.5 + n)));
    moves.push(time);
    // The handle rests until the curve beside it is there.
    await page.waitForTimeout(1200);
  }
  moves.sort((a, b) => a - b);
  const tasks = await page.evaluate(() => (window as unknown as { tasks: number[] }).tasks);
  return { name, first, whole, target: 100, moved: moves[MOVES >> 1], slowest: moves[MOVES - 1], task: Math.max(0, ...tasks) };
}

/** Waits until the map shows all of what it was asked for, and the thread that draws has settled. */
async function drawn(page: Page): Promise<void> {
  await page.waitForTimeout(1500);
  await page.locator('canvas[data-features=drawn]').waitFor();
}

/** Milliseconds from an action to the next picture, and to a whole one, as the page itself sees them. */
async function timed(page: Page, action: () => Promise<void>): Promise<{ first: number; whole: number }> {
  const seen = page.evaluate(
    () =>
      new Promise<{ first: number; whole: number }>((resolve) => {
        const canvas = document.querySelector<HTMLCanvasElement>('canvas[data-features]')!;
        const before = canvas.dataset.pictures;
        let first = 0;
        let began = 0;
        const begin = () => (began ||= performance.now());
        for (const kind of ['pointerdown', 'input']) window.addEventListener(kind, begin, { capture: true, once: true });
        const look = () => {
          if (first === 0 && canvas.dataset.pictures !== before) first = performance.now();
          if (first > 0 && canvas.dataset.features === 'drawn') resolve({ first: first - began, whole: performance.now() - began });
          else requestAnimationFrame(look);
        };
        look();
      }),
  );
  const [times] = await Promise.all([seen, action()]);
  return times;
}
