/** A real Chromium for page tests: the one that benchmarks and pictures use too. */
import { cpSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { launchChromium } from '../scripts/chromium.mjs';
import { folder, root } from './harness.js';

export function launch(): Promise<Browser> {
  return launchChromium();
}

/** Opens the workbench's page and waits for its first values; errors of the page go to `complaints`. */
export async function openPage(browser: Browser, url: string, complaints: string[]): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  complaints.length = 0;
  page.setDefaultTimeout(60_000);
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => message.type() === 'error' && complaints.push(message.text()));
  await page.goto(url);
  await page.waitForSelector('.margin');
  return page;
}

/** A browser for the tests of a file, and for each test a workbench on a copy of the demo pads. */
export interface Workbench {
  readonly browser: Browser;
  readonly server: WorkbenchServer;
  readonly page: Page;
  readonly dir: string;
  /** Errors that the page told. */
  readonly complaints: string[];
  /** Opens a demo pad, or a text as a pad of its own. */
  open(pad: string, text?: string, options?: { types?: boolean; files?: Record<string, string> }): Promise<void>;
}

/** Registers what a file of page tests needs before and after its tests; the page may not complain in any of them. */
export function useWorkbench(): Workbench {
  const state: { browser?: Browser; server?: WorkbenchServer; page?: Page; dir: string } = { dir: '' };
  const complaints: string[] = [];
  beforeAll(async () => {
    state.browser = await launch();
  });
  afterAll(async () => {
    await state.browser?.close();
  });
  afterEach(async () => {
    await state.page?.close();
    await state.server?.close();
    expect(complaints).toEqual([]);
  });
  return {
    complaints,
    get browser() {
      return state.browser!;
    },
    get server() {
      return state.server!;
    },
    get page() {
      return state.page!;
    },
    get dir() {
      return state.dir;
    },
    async open(pad, text, { types = false, files = {} } = {}) {
      state.dir = folder();
      cpSync(join(root, 'examples'), state.dir, { recursive: true });
      if (text !== undefined) writeFileSync(join(state.dir, pad), text);
      for (const [name, own] of Object.entries(files)) writeFileSync(join(state.dir, name), own);
      state.server = await startServer({
        root: state.dir,
        pad: join(state.dir, pad),
        state: folder(),
        types,
      });
      state.page = await openPage(state.browser!, state.server.url, complaints);
    },
  };
}
