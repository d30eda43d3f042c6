import { expect, type Locator, type Page } from '@playwright/test';
import type { AxeResults, RunOptions } from 'axe-core';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
/** Rules for WCAG 2.2, levels A and AA. */
const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

declare global {
  interface Window {
    axe: { run: (context: Element, options: RunOptions) => Promise<AxeResults> };
  }
}

/**
 * What of a page breaks the rules, each with where it is.
 * @param within a part of the page, where the rest of it has been looked at before
 */
export async function violations(page: Page, within?: Locator): Promise<string[]> {
  // A hint that is about to be shown, or to go, has no name yet.
  await page.mouse.move(4, 4);
  await expect.poll(() => page.locator('.v-tooltip').evaluateAll((hints) => hints.every((hint) => hint.textContent?.trim()))).toBe(true);
  // What fades in or out is looked at when it stands; what never ends is not waited for.
  await page.evaluate(() => {
    const ending = document.getAnimations().filter(({ effect }) => effect?.getComputedTiming().endTime !== Infinity);
    const enough = new Promise((done) => setTimeout(done, 1000));
    return Promise.race([Promise.allSettled(ending.map((animation) => animation.finished)), enough]).then(() => null);
  });
  await page.evaluate(AXE);
  const part = within ?? page.locator('html');
  const found = await part.evaluate(async (element, values) => (await window.axe.run(element, { runOnly: values })).violations, RULES);
  return found.flatMap(({ id, nodes }) =>
    nodes.map(
      ({ target, html, failureSummary }) =>
        `${id}: ${target.join(' ')} ${html.slice(0, 160)} ${failureSummary?.split('\n')[1]?.trim() ?? ''}`,
    ),
  );
}
