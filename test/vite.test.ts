import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { targets } from '#dist/server/targets.js';
import { joinTarget } from '#dist/server/window.js';
import { valueText } from '#dist/runtime/text.js';
import { launch } from './browser.js';
import { cli, eventually, folder, root, start, wait } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
const servers: { kill(): boolean }[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) server.kill();
});
afterAll(async () => {
  await browser.close();
});

/** The control room on a server of its own, in a page. */
async function controlRoom(): Promise<{
  page: Page;
  env: Record<string, string>;
  dir: string;
  url: string;
  said: string[];
  logged: string[];
  save(name: string, change: (text: string) => string): Promise<string>;
  frame(): Promise<number>;
  close(): Promise<void>;
}> {
  const dir = join(folder(), 'control-room');
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  cpSync(join(root, 'examples/control-room'), dir, { recursive: true });
  const said: string[] = [];
  const logged: string[] = [];
  const modules = join(dir, 'node_modules');
  mkdirSync(modules);
  const viteFolder = dirname(createRequire(import.meta.url).resolve('vite/package.json'));
  symlinkSync(root, join(modules, 'usher-anvil'));
  symlinkSync(viteFolder, join(modules, 'vite'));
  const server = spawn(
    process.execPath,
    [join(viteFolder, 'bin/vite.js'), dir, '--port', '0', '--clearScreen', 'false'],
    {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NO_COLOR: '1', ...env },
    },
  );
  servers.push(server);
  let url = '';
  let rest = '';
  const take = (chunk: Buffer): void => {
    const lines = (rest + String(chunk)).split('\n');
    rest = lines.pop()!;
    for (const line of lines) {
      url ||= /http:\/\/127\.0\.0\.1:\d+\//.exec(line)?.[0] ?? '';
      if (/^[\w-]+\.ts {2}/.test(line)) said.push(line);
      else if (line.startsWith('    ') && said.length > 0) said[said.length - 1] += ` | ${line.trim()}`;
      else if (/error/i.test(line)) logged.push(line);
    }
  };
  server.stdout.on('data', take);
  server.stderr.on('data', take);
  await eventually(() => url !== '');
  const page = await browser.newPage({ viewport: { width: 400, height: 300 } });
  page.on('console', (message) => logged.push(message.text()));
  await page.goto(url);
  const frame = async (): Promise<number> => Number(/\d+/.exec(await page.innerText('#frames'))![0]);
  await eventually(async () => (await frame()) > 3);
  return {
    page,
    env,
    dir,
    url,
    said,
    logged,
    frame,
    async save(name, change) {
      const file = join(dir, name);
      const text = change(readFileSync(file, 'utf8'));
      const from = said.length;
      writeFileSync(file, text);
      await eventually(() => said.length > from);
      return said.slice(from).join('\n');
    },
    async close() {
      await page.close();
      server.kill();
    },
  };
}

test('while the control room runs, its code, helpers, a typo and its class are changed, and the frame counter never starts again', async () => {
  const room = await controlRoom();
  const frames: number[] = [await room.frame()];
  const goesOn = async (): Promise<void> => {
    const last = frames[frames.length - 1]!;
    await eventually(async () => (await room.frame()) > last);
    frames.push(await room.frame());
  };
  expect(await room.save('barge.ts', (text) => text.replace('SPEED = 0.012', 'SPEED = 0.05'))).toBe(
    'barge.ts  SPEED assigned',
  );
  await goesOn();
  expect(
    await room.save('room.ts', (text) =>
      text
        .replace(
          'function drawBarge',
          'const label = (barge: Barge): string => `${barge.name} (${barge.cargo})`;\n\nfunction drawBarge',
        )
        .replace('context.fillText(barge.name,', 'context.fillText(label(barge),'),
    ),
  ).toBe('room.ts  drawBarge patched · label added');
  await goesOn();
  expect(await room.save('room.ts', (text) => text.replace('${barge.name} (${barge.cargo})', 'MV ${barge.name}'))).toBe(
    'room.ts  label patched',
  );
  await goesOn();
  expect(await room.save('room.ts', (text) => text.replace('frame += 1;', 'frame += ;'))).toMatch(
    /^room\.ts {2}syntax error, nothing changed \| line \d+ /,
  );
  await goesOn();
  // A name that is not there: the loop stops before it asks for its next frame, and goes on with the next good save.
  await room.save('room.ts', (text) => text.replace('frame += ;', 'frame += 1; drawFlags();'));
  await eventually(() =>
    room.said.some((line) => /^room\.ts {2}line \d+ {2}ReferenceError: drawFlags is not defined$/.test(line)),
  );
  expect(await room.save('room.ts', (text) => text.replace(' drawFlags();', ''))).toMatch(
    /room\.ts {2}render patched · render called again$/,
  );
  await goesOn();
  expect(
    await room.save('barge.ts', (text) =>
      text
        .replace('lift: number | undefined;', 'lift: number | undefined;\n  fuel = 900;')
        .replace('this.at += this.heading', 'this.fuel -= 1;\n    this.at += this.heading'),
    ),
  ).toMatch(/^barge\.ts {2}Barge\.advance patched · Barge\.fuel added/);
  expect(
    await room.save('room.ts', (text) =>
      text.replace('m`;\n      return item', 'm, ${barge.fuel} l`;\n      return item'),
    ),
  ).toMatch(/patched$/);
  await eventually(async () => /\d+ l/.test(await room.page.innerText('#boats')));
  await goesOn();
  for (let i = 1; i < frames.length; i++) expect(frames[i]!).toBeGreaterThan(frames[i - 1]!);
  // Styles are the server's: replaced in place, too.
  await room.page.evaluate(() => ((globalThis as unknown as { mark: number }).mark = 7));
  const before = await room.frame();
  const file = join(room.dir, 'room.css');
  writeFileSync(file, readFileSync(file, 'utf8').replace('font-size: 20px', 'font-size: 33px'));
  await eventually(
    async () => (await room.page.evaluate(() => getComputedStyle(document.querySelector('h1')!).fontSize)) === '33px',
  );
  expect(await room.page.evaluate(() => (globalThis as unknown as { mark?: number }).mark)).toBe(7);
  expect(await room.frame()).toBeGreaterThanOrEqual(before);
  await room.close();
});

test('what cannot be changed in place loads the page anew, with the reason; a page loaded later begins with the new text', async () => {
  const room = await controlRoom();
  expect(
    await room.save('barge.ts', (text) =>
      text
        .replace('export class Barge {', 'class Craft {}\nexport class Barge extends Craft {')
        .replace('this.at = at;', 'super();\n    this.at = at;'),
    ),
  ).toMatch(/^barge\.ts {2}the page is loaded anew \| Barge: a class that is made cannot be given a parent/);
  await eventually(() =>
    room.logged.some((line) => /the page was loaded anew\. Barge: a class that is made/.test(line)),
  );
  await eventually(async () => (await room.frame()) > 3);
  expect(await room.save('barge.ts', (text) => text.replace('SPEED = 0.012', 'SPEED = 0.03'))).toBe(
    'barge.ts  SPEED assigned',
  );
  // Two windows, one of them from before a change.
  const second = await browser.newPage();
  await second.goto(room.url);
  await eventually(async () => /frame \d/.test(await second.innerText('#frames')));
  await wait(200);
  expect(await room.save('room.ts', (text) => text.replace('frame += 1;', 'frame += 1000;'))).toBe(
    'room.ts  render patched',
  );
  await eventually(
    async () => (await room.frame()) > 1000 && Number(/\d+/.exec(await second.innerText('#frames'))![0]) > 1000,
  );
  await second.close();
  await room.close();
});

test('a new import of the page is loaded, and a new export of another file reaches it', async () => {
  const room = await controlRoom();
  writeFileSync(join(room.dir, 'flags.ts'), 'export const flag = (n: number): string => `flag ${n}`;\n');
  expect(
    await room.save(
      'room.ts',
      (text) =>
        `import { flag } from './flags.js';\n${text.replace('`frame ${frame}`', '`frame ${frame} ${flag(1)}`')}`,
    ),
  ).toBe('room.ts  render patched · import ./flags.js added');
  await eventually(async () => /flag 1/.test(await room.page.innerText('#frames')));
  expect(await room.save('locks.ts', (text) => `${text}\nexport const keeper = (): string => 'R. K.';\n`)).toBe(
    'locks.ts  keeper added',
  );
  expect(
    await room.save('room.ts', (text) =>
      text
        .replace('heightAt, LENGTH, locks,', 'heightAt, keeper, LENGTH, locks,')
        .replace('${flag(1)}', '${flag(2)} ${keeper()}'),
    ),
  ).toMatch(/^room\.ts {2}render patched/);
  await eventually(async () => /flag 2 R\. K\./.test(await room.page.innerText('#frames')));
  await room.close();
});

test('a page is a target: at a prompt and in the workbench, with its values, its console and its errors, and each edit is a patch', async () => {
  const room = await controlRoom();
  const { env, page } = room;
  const [target] = targets(env.USHER_ANVIL_TARGETS);
  const window = await joinTarget(target!.address, target!.token, {});
  const enter = async (text: string): Promise<string> => {
    const given = await window.ask('evaluate', { text });
    if (given.is === 'failed') return given.text;
    return given.is === 'done'
      ? `${given.changes}${given.result ? valueText(given.result.value, 1_000) : ''}`
      : given.is;
  };
  expect(target).toMatchObject({ name: 'control-room', entry: room.dir });
  expect(cli(['prompt', 'control-room', '--evaluate', 'fleet[0].name'], { env }).stdout).toBe("'Heron'\n");
  // What a page has: a document, objects of the browser, proxies that are not entered.
  expect(
    await enter(
      '[document.title, canvas, new Map([[1, locks[0].name]]), new Proxy({}, { get() { throw 1; }, ownKeys() { throw 2; } }), Promise.resolve(1)]',
    ),
  ).toBe(
    `['Wenlow Canal: control room', <canvas id="canal" width="1180" height="520">, Map(1) { 1 → 'Alder' }, Proxy, Promise]`,
  );
  expect(await enter('Proxy.toString() + Proxy.revocable({}, {}).proxy + drawBarge.toString().includes("$ua")')).toBe(
    "'function Proxy() { [native code] }[object Object]false'",
  );
  expect(await enter('drawFlags()')).toBe('line 1 of what was entered  ReferenceError: drawFlags is not defined');
  expect(await enter('const label = (barge: Barge): string => `MV ${barge.name}`;')).toMatch(/^label added/);
  expect(await enter('label(fleet[0])')).toBe("'MV Heron'");
  await eventually(() => room.said.includes('room.ts  entered: label added'));
  expect(await window.ask('undo', {})).toEqual({ done: true });
  await eventually(() => room.said.includes('room.ts  the last change is undone'));
  expect(await enter('typeof label')).toBe("'undefined'");
  expect(
    await room.save('room.ts', (text) =>
      text.replace('frame += 1;', 'frame += 1;\n  if (frame % 50 === 0) console.warn("frame", { frame });'),
    ),
  ).toMatch(/^room\.ts {2}render patched/);

  const opened = start(['open', 'control-room'], { cwd: room.dir, env });
  servers.push({ kill: () => (void opened.end(), true) });
  await eventually(() => /http:\S+/.test(opened.text));
  const bench = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const complaints: string[] = [];
  bench.on('pageerror', (error) => complaints.push(error.message));
  await bench.goto(/http:\S+/.exec(opened.text)![0]);
  const line = (text: string) => bench.locator('.cm-line', { hasText: text }).first();
  await eventually(async () => /live · 1 page/.test(await bench.innerText('header')));
  // Only what is near the window is drawn.
  await bench.locator('.cm-scroller').evaluate((element) => element.scrollTo(0, 700));
  await eventually(async () => /\d+\/s · ×\d+/.test(await line('function drawBarge').innerText()));
  await bench.locator('.cm-content').focus();
  await line('function drawBarge').click({ position: { x: 30, y: 8 } });
  await bench.keyboard.press('Control+i');
  await eventually(async () => /barge Barge \{ name: /.test(await line('function drawBarge').innerText()));
  await eventually(async () => /│?\s*'#\w+'/.test(await line('context.fillStyle = COLOURS').innerText()));
  await eventually(async () => /frame \{ ?frame: \d+/.test(await bench.innerText('#dock')));
  // An edit that is not saved is in the next frames; the page has not been loaded anew.
  await page.evaluate(() => ((globalThis as unknown as { mark: number }).mark = 7));
  const before = await room.frame();
  await line('frame += 1;').click();
  await bench.keyboard.press('Home');
  await bench.keyboard.type('frame += 5_000; ');
  await eventually(async () => (await room.frame()) > before + 5_000);
  expect(await page.evaluate(() => (globalThis as unknown as { mark?: number }).mark)).toBe(7);
  // Loaded anew it is looked at again, with the text that is not saved.
  await page.reload();
  const fresh = (): Promise<boolean> => page.evaluate(() => !('mark' in globalThis));
  await eventually(async () => (await fresh()) && (await room.frame()) > 10_000);
  await eventually(async () => /barge Barge \{ name: /.test(await line('function drawBarge').innerText()));
  expect(complaints).toEqual([]);
  await page.goto('about:blank');
  await eventually(async () => /no page is open/.test(await bench.innerText('header')));
  expect(await enter('1')).toMatch(/no page is open/);
  await bench.close();
  window.close();
  await opened.end();
  await room.close();
});

test('a call that fails in a page is held, and goes on once its function is mended', async () => {
  const room = await controlRoom();
  await room.save(
    'room.ts',
    (text) =>
      `${text}\nfunction tally(boats: number): void {\n  if (boats > 0) throw new RangeError('no weir for ' + boats);\n  document.title = 'none';\n}\n`,
  );
  const [target] = targets(room.env.USHER_ANVIL_TARGETS);
  const events: string[] = [];
  const window = await joinTarget(target!.address, target!.token, {
    held: (event) => void (event.is !== 'switched' && events.push(event.is)),
  });
  await window.ask('hold', { mode: 'on' });
  await window.ask('evaluate', { file: join(room.dir, 'room.ts'), text: 'setTimeout(() => tally(3), 0)' });
  await eventually(() => events.includes('held'));
  const { calls } = await window.ask('held', {});
  expect(calls).toMatchObject([
    { name: 'tally', where: expect.stringMatching(/^page \d+$/), error: { name: 'RangeError' } },
  ]);
  expect(calls[0]!.given.map((value) => valueText(value))).toEqual(['3']);
  // The page goes on meanwhile.
  const before = await room.frame();
  await eventually(async () => (await room.frame()) > before);
  await room.save('room.ts', (text) =>
    text.replace("throw new RangeError('no weir for ' + boats)", "document.title = 'weir ' + boats"),
  );
  expect(await room.page.title()).not.toContain('weir');
  expect(await window.ask('release', { id: calls[0]!.id, how: 'again' })).toEqual({ is: 'done' });
  await eventually(async () => (await room.page.title()) === 'none');
  window.close();
  await room.close();
});

test('a breakpoint of a page with a message prints, and does not stop', async () => {
  const room = await controlRoom();
  const added = 'function tally(boats: number): number {\n  const due = boats * 4;\n  return due;\n}\n';
  await room.save('room.ts', (text) => `${text}\n${added}`);
  const file = join(room.dir, 'room.ts');
  const line = readFileSync(file, 'utf8')
    .split('\n')
    .findIndex((text) => text.includes('return due'));
  const [target] = targets(room.env.USHER_ANVIL_TARGETS);
  const said: string[] = [];
  const window = await joinTarget(target!.address, target!.token, {
    paused: (event) => void said.push(event.is === 'message' ? `${event.where}: ${event.text}` : event.is),
  });
  const made = await window.ask('breakpoint', {
    file,
    line,
    message: '{boats} boats owe {due}',
    condition: 'boats > 2',
  });
  expect(made).toMatchObject({ state: 'set' });
  await window.ask('evaluate', { file, text: '[1, 2, 3, 4].map((boats) => tally(boats)).join()' });
  await eventually(() => said.filter((text) => text.includes(' owe ')).length === 2);
  expect(said.filter((text) => text.includes(' owe ')).map((text) => text.replace(/^page \d+/, 'page'))).toEqual([
    'page: 3 boats owe 12',
    'page: 4 boats owe 16',
  ]);
  expect((await window.ask('held', {})).standing).toEqual([]);
  window.close();
  await room.close();
});
