/** Pads that the tests publish, and the pages that they open of them. */
import { expect } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Browser, Locator, Page } from 'playwright-core';
import { cli, folder } from './harness.js';

/** Errors of the page that was opened last. */
export const complaints: string[] = [];

export async function openPublished(browser: Browser, address: string): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(20_000);
  complaints.length = 0;
  page.on('pageerror', (error) => complaints.push(error.message));
  await page.goto(address);
  await page.locator('.cm-line').first().waitFor();
  return page;
}

/** Writes files, and publishes pads of them with no word of complaint. */
export async function publish(files: Record<string, string>, ...args: string[]): Promise<{ dir: string; out: string }> {
  const dir = folder(files);
  const { code, stdout, stderr } = cli(['publish', ...args], { cwd: dir });
  expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
  return { dir, out: stdout };
}

export const margin = (page: Page, line: string): Locator =>
  page.locator('.cm-line', { hasText: line }).first().locator('.margin');

/** A static server. @param without names of files that it does not find */
export async function serve(
  dir: string,
  without: ReadonlySet<string> = new Set(),
): Promise<{ base: string; asked: string[]; close(): void }> {
  const asked: string[] = [];
  const server = createServer((request, response) => {
    const name = (request.url ?? '/').slice(1).split(/[?#]/)[0]!;
    asked.push(name);
    const type = name.endsWith('.js') ? 'text/javascript' : name.endsWith('.css') ? 'text/css' : 'text/html';
    if (without.has(name)) response.writeHead(404).end();
    else response.setHeader('content-type', type).end(readFileSync(join(dir, name)));
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    asked,
    close: () => void server.close(),
  };
}
