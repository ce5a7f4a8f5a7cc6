/** What types and newer syntax decide, translated in a published page: by the light compiler, and by the whole one. */
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Browser, Page } from 'playwright-core';
import { launch } from './browser.js';
import { cli, folder } from './harness.js';
import { margin, openPublished, publish, serve } from './publishing.js';

let browser: Browser;
beforeAll(async () => void (browser = await launch()));
afterAll(() => browser.close());

const LOCK = `function told(value: any, context: any) {
  return function (this: any, ...all: any[]) {
    console.log('calls', context.name, all[0])
    return value.apply(this, all)
  }
}
class Lock {
  accessor level = 3
  @told fill(by: number) { return this.level += by }
}
const lock = new Lock()
const filled = lock.fill(4)
`;

const LEGACY = `function told(type: any, name: string, how: PropertyDescriptor) {
  const all = type.heard ??= []
  all.push(name, typeof how.value)
}
class Gate {
  @told shut(hour: number) { return hour }
}
const heard = (Gate.prototype as any).heard.join(' ')
`;

const FIELDS = `class Base { set level(n) { this.seen = n } }
class Gauge extends Base { level = 4 }
const seen = new Gauge().seen
`;

const OTHERS = `namespace Reach {
  export const length = 12
  export const twice = () => length * 2
}
namespace Reach {
  export const half = length / 2
}
const reach = [Reach.twice(), Reach.half].join(' ')
const ends: string[] = []
{
  using gate = { [Symbol.dispose]() { ends.push('shut') } }
  ends.push('open')
}
const after = ends.join(' ')
`;

const SETTINGS = (more: object): string =>
  JSON.stringify({ compilerOptions: { target: 'es2022', module: 'esnext', ...more } });

/** Types over all of a pad. */
async function typeOver(page: Page, text: string): Promise<void> {
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText(text);
}

test('a folder has the whole compiler: decorators of both kinds, accessors, namespaces, using, assigned fields', async () => {
  const { dir } = await publish(
    {
      ...{ 'lock.ts': LOCK, 'reach.ts': OTHERS, 'tsconfig.json': SETTINGS({}) },
      ...{ 'old/gate.ts': LEGACY, 'old/fields.ts': FIELDS },
      'old/tsconfig.json': SETTINGS({ experimentalDecorators: true, useDefineForClassFields: false }),
    },
    ...['lock.ts', 'reach.ts', 'old/gate.ts', 'old/fields.ts', '--folder', 'site', '--runs'],
  );
  const site = await serve(join(dir, 'site'));
  try {
    for (const [name, line, value] of [
      ['lock', 'const filled', '7'],
      ['reach', 'const reach', '24 6'],
      ['reach', 'const after', 'open shut'],
      ['gate', 'const heard', 'shut function'],
      ['fields', 'const seen', '4'],
    ] as const) {
      const page = await openPublished(browser, `${site.base}/${name}.html`);
      await margin(page, line).filter({ hasText: value }).waitFor();
      await page.close();
    }
  } finally {
    site.close();
  }
});

test('the whole compiler comes when it is typed for, and the pad runs by itself once it is there', async () => {
  const { dir } = await publish(
    { 'level.ts': 'enum Side { Left = 4, Right }\nconst level = Side.Right\n' },
    ...['level.ts', '--folder', 'site', '--runs'],
  );
  const site = await serve(join(dir, 'site'));
  const lost = await serve(join(dir, 'site'), new Set(['whole-compiler.js']));
  try {
    const page = await openPublished(browser, `${site.base}/level.html`);
    await margin(page, 'const level').filter({ hasText: '5' }).waitFor();
    expect(site.asked).not.toContain('whole-compiler.js');
    await typeOver(page, LOCK);
    await margin(page, 'const filled').filter({ hasText: '7' }).waitFor();
    expect(site.asked.filter((name) => name === 'whole-compiler.js')).toHaveLength(1);
    await page.getByRole('button', { name: 'Link' }).click();
    await page.getByText(/The link is in/).waitFor();
    const link = new URL(page.url()).hash;
    await page.close();
    const linked = await openPublished(browser, `${site.base}/level.html${link}`);
    await linked.getByRole('button', { name: 'Run it' }).click();
    await margin(linked, 'const filled').filter({ hasText: '7' }).waitFor();
    await linked.close();
    const without = await openPublished(browser, `${lost.base}/level.html`);
    await margin(without, 'const level').filter({ hasText: '5' }).waitFor();
    await typeOver(without, LOCK);
    await without
      .getByText(/Publish the pad with --folder/)
      .first()
      .waitFor();
    // What needs less goes on.
    await typeOver(without, 'enum Side { Left = 4, Right }\nconst level = Side.Right + 1\n');
    await margin(without, 'const level').filter({ hasText: '6' }).waitFor();
    await without.close();
  } finally {
    site.close();
    lost.close();
  }
});

test('a single file says when it is made, and in the page, that it lacks the whole compiler', async () => {
  const dir = folder({ 'lock.ts': LOCK });
  const { code, stderr } = cli(['publish', 'lock.ts', '--runs'], { cwd: dir });
  expect(code).toBe(0);
  expect(stderr).toContain('Publish it with --folder');
  const page = await openPublished(browser, pathToFileURL(join(dir, 'lock.html')).href);
  await page
    .getByText(/Publish the pad with --folder/)
    .first()
    .waitFor();
  await page.close();
});

test('a link says how the project it comes from translates', async () => {
  const { dir } = await publish(
    {
      'fields.ts': FIELDS,
      'tsconfig.json': SETTINGS({ useDefineForClassFields: false }),
      'pilot.ts': 'const pilot = 1\n',
    },
    ...['fields.ts', '--folder', 'site', '--runs'],
  );
  const other = await publish({ 'pilot.ts': 'const pilot = 1\n' }, ...['pilot.ts', '--folder', 'site']);
  const [from, to] = [await serve(join(dir, 'site')), await serve(join(other.dir, 'site'))];
  try {
    const page = await openPublished(browser, `${from.base}/fields.html`);
    await margin(page, 'const seen').filter({ hasText: '4' }).waitFor();
    // Nothing of where the project lies is in what is handed over.
    expect((await page.content()).includes(dir)).toBe(false);
    await page.getByRole('button', { name: 'Link' }).click();
    await page.getByText(/The link is in/).waitFor();
    const link = new URL(page.url()).hash;
    await page.close();
    const opened = await openPublished(browser, `${to.base}/pilot.html${link}`);
    await opened.getByRole('button', { name: 'Run it' }).click();
    await opened.getByText(/worker · /).waitFor();
    await margin(opened, 'const seen').filter({ hasText: '4' }).waitFor();
    await opened.close();
  } finally {
    from.close();
    to.close();
  }
});
