/** A real Chromium for page tests: the one that benchmarks and pictures use too. */
import type { Browser, Page } from 'playwright-core';
import { launchChromium } from '../scripts/chromium.mjs';

export function launch(): Promise<Browser> {
  return launchChromium();
}

/** Opens the workbench's page and waits for its first values; errors of the page go to `complaints`. */
export async function openPage(browser: Browser, url: string, complaints: string[]): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  complaints.length = 0;
  page.setDefaultTimeout(8_000);
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
  await page.goto(url);
  await page.waitForSelector('.margin');
  return page;
}
