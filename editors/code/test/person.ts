/** A person at a real editor in a real browser: keys, and what stands on the screen. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { launchChromium } from '../../../scripts/chromium.mjs';
import { serveEditor } from '../../../scripts/editor.mjs';
import { eventually, folder, root } from '../../../test/harness.js';

export interface PersonOptions {
  files: Record<string, string>;
  /** Settings of the editor. */
  settings?: Record<string, unknown>;
  /** Of the extension: without it, the editor is as it comes. */
  without?: boolean;
}

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

export class Person {
  private constructor(
    readonly page: Page,
    readonly dir: string,
    readonly env: Record<string, string>,
    private readonly browser: Browser,
    private readonly served: Awaited<ReturnType<typeof serveEditor>>,
  ) {}

  static async begin({ files, settings = {}, without = false }: PersonOptions): Promise<Person> {
    const dir = folder(files);
    const state = folder();
    mkdirSync(join(state, 'targets'), { mode: 0o700 });
    const env = { XDG_STATE_HOME: state, USHER_ANVIL_TARGETS: join(state, 'targets') };
    const extensions = without ? [] : [join(root, 'editors/code')];
    const served = await serveEditor({ workspace: dir, extensions, settings, env });
    const browser = await launchChromium();
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(60_000);
    const person = new Person(page, dir, env, browser, served);
    await person.enter();
    return person;
  }

  /** Goes to the page of the editor, anew. */
  async enter(page = this.page): Promise<void> {
    await page.goto(this.served.url);
    await page.waitForSelector('.monaco-workbench .explorer-folders-view');
  }

  /** A second window on the same folder. */
  async secondWindow(): Promise<Person> {
    const page = await this.browser.newPage({ viewport: { width: 1280, height: 800 } });
    page.setDefaultTimeout(60_000);
    const other = new Person(page, this.dir, this.env, this.browser, this.served);
    await other.enter();
    return other;
  }

  async openFile(name: string): Promise<void> {
    await this.pick('Control+P', name);
    await this.page.waitForSelector(`.tab.active[data-resource-name="${name}"]`);
    await this.page.waitForSelector('.monaco-editor .view-line');
  }

  /** Does a command of the palette. */
  async command(name: string): Promise<void> {
    await this.pick('F1', `>${name}`);
  }

  /** Answers what a list asks. */
  async choose(text: string): Promise<void> {
    await this.page.waitForSelector(`.quick-input-widget .monaco-list-row`);
    await this.page.keyboard.type(text);
    await this.page.locator('.quick-input-widget .monaco-list-row', { hasText: text }).first().waitFor();
    await this.page.keyboard.press('Enter');
  }

  private async pick(key: string, text: string): Promise<void> {
    await eventually(async () => {
      await this.page.keyboard.press('Escape');
      await this.page.keyboard.press(key);
      const input = this.page.locator('.quick-input-widget input.input');
      try {
        await input.waitFor({ state: 'visible', timeout: 2_000 });
        await input.fill(text);
        const wanted = text.replace(/^>/, '');
        const row = this.page.locator('.quick-input-widget .monaco-list-row', { hasText: wanted }).first();
        await row.waitFor({ timeout: 3_000 });
        await row.click();
        return true;
      } catch {
        // Extensions and files are found a moment after the page is there.
        return false;
      }
    });
  }

  /** Puts the cursor at a place, counted from 1. */
  async goTo(line: number, column = 1): Promise<void> {
    await this.page.keyboard.press('Control+G');
    const input = this.page.locator('.quick-input-widget input.input');
    await input.waitFor({ state: 'visible' });
    await input.fill(`:${line}:${column}`);
    await wait(100);
    await this.page.keyboard.press('Enter');
    await input.waitFor({ state: 'hidden' });
  }

  /** Puts the cursor behind a text in its line, and gives where that is. */
  async behindText(text: string, code: string): Promise<void> {
    const lines = code.split('\n');
    const line = lines.findIndex((one) => one.includes(text));
    await this.goTo(line + 1, lines[line]!.indexOf(text) + text.length + 1);
  }

  async type(text: string): Promise<void> {
    await this.page.keyboard.type(text);
  }

  async press(...keys: string[]): Promise<void> {
    for (const key of keys) await this.page.keyboard.press(key);
  }

  /** The lines on the screen, each with what is drawn behind it. */
  lines(): Promise<{ code: string; drawn: string }[]> {
    return this.page.evaluate(() =>
      [...document.querySelectorAll('.monaco-editor .view-line')].map((line) => {
        const drawn = [...line.querySelectorAll('span')]
          .map((part) => getComputedStyle(part, '::after').content)
          .filter((content) => content !== 'none' && content !== 'normal' && content !== '""');
        const text = drawn.map((content) => content.replace(/^"|"$/g, '').replace(/\\"/g, '"')).join(' ');
        return { code: (line.textContent ?? '').replace(/\u00a0/g, ' '), drawn: text.replace(/\u00a0/g, ' ') };
      }),
    );
  }

  /** What is drawn behind the line in which a text stands. */
  async drawn(code: string): Promise<string> {
    return (await this.lines()).find((line) => line.code.includes(code))?.drawn ?? '';
  }

  /** Waits until what is drawn behind a line is as it should be. */
  async sees(code: string, fits: RegExp): Promise<string> {
    let last = '';
    try {
      await eventually(async () => fits.test((last = await this.drawn(code))), 30_000);
    } catch {
      throw new Error(`behind ${code} stands ${JSON.stringify(last)}, and not ${String(fits)}`);
    }
    return last;
  }

  /** Pictures of the rail on the screen. */
  rails(): Promise<number> {
    return this.page.evaluate(
      () =>
        [...document.querySelectorAll('.glyph-margin-widgets .cgmr')].filter((one) =>
          getComputedStyle(one).backgroundImage.startsWith('url("data:image/svg'),
        ).length,
    );
  }

  /** The line of state. */
  async state(): Promise<string> {
    const item = this.page.locator('.statusbar-item', { hasText: 'Anvil:' });
    return (await item.count()) === 0 ? '' : ((await item.first().textContent()) ?? '').trim();
  }

  /** The panel's page, once it is there. */
  async panel(): Promise<import('playwright-core').FrameLocator> {
    await this.page.waitForSelector('iframe.webview.ready');
    return this.page.frameLocator('iframe.webview.ready').frameLocator('#active-frame');
  }

  /** Clicks on a lens. */
  async lens(title: string): Promise<void> {
    await this.page.locator('.codelens-decoration a', { hasText: title }).first().click();
  }

  /** A button of the bar with which one steps, by its name. */
  async walkKey(name: string): Promise<void> {
    await this.page.locator(`.debug-toolbar a.action-label[aria-label^="${name}"]`).click();
  }

  /** The line at which a walk stands. */
  stopped(): Promise<string> {
    return this.page.evaluate(() => {
      const mark = document.querySelector('.monaco-editor .debug-top-stack-frame-line');
      const top = mark?.parentElement && Number.parseFloat(mark.parentElement.style.top);
      const line = [...document.querySelectorAll<HTMLElement>('.monaco-editor .view-line')].find(
        (one) => Number.parseFloat(one.style.top) === top,
      );
      return (line?.textContent ?? '').replace(/\u00a0/g, ' ');
    });
  }

  /** What the editor's view of variables shows. */
  variables(): Promise<string[]> {
    return this.page.locator('.debug-variables .monaco-list-row').allTextContents();
  }

  /** What the editor itself writes behind a line. */
  async inlineOf(code: string): Promise<string> {
    return this.page.evaluate((wanted) => {
      const line = [...document.querySelectorAll('.monaco-editor .view-line')].find((one) =>
        (one.textContent ?? '').replace(/\u00a0/g, ' ').includes(wanted),
      );
      const after = [...(line?.querySelectorAll('span') ?? [])].map(
        (part) => getComputedStyle(part, '::after').content,
      );
      return `${line?.textContent ?? ''} ${after.join(' ')}`.replace(/\u00a0/g, ' ');
    }, code);
  }

  /** A picture, for a person who looks at what a test sees. */
  async picture(name: string): Promise<void> {
    if (process.env.ANVIL_PICTURES)
      await this.page.screenshot({ path: join(process.env.ANVIL_PICTURES, `${name}.png`) });
  }

  async end(): Promise<void> {
    await this.browser.close();
    this.served.end();
  }
}
