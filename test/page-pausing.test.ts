/** Pages that stand still: at breakpoints, in steps, with their variables, while code is changed. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { joinTarget } from '#dist/server/window.js';
import type { Standing } from '#dist/session/live/pausing/pausing.js';
import { valueText } from '#dist/runtime/text.js';
import { launch } from './browser.js';
import { eventually, inTurn } from './harness.js';
import { casesModule, NAMES, tryCase, type CaseProgram } from './pausing-cases.js';
import { startSite, type Site } from './site.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());
let site: Site;
afterEach(() => site.close());

/** The catalogue's cases, as a page. */
async function casesSite(): Promise<CaseProgram> {
  const text = casesModule('void (globalThis.results[n] = String(value))');
  site = await startSite(browser, {
    'index.html': '<script type="module" src="/main.js"></script>',
    'main.js': "import { cases } from './cases.js'\nglobalThis.results = {}\nglobalThis.cases = cases\n",
    'cases.js': text,
  });
  const { window, page, dir } = site;
  const file = join(dir, 'cases.js');
  const lines = text.split('\n');
  await site.executes(file);
  return {
    lineOf: (n) => lines.findIndex((line) => line.includes(`out(${n}, `)),
    set: (line) => window.ask('breakpoint', { file, line }),
    clear: (id) => window.ask('clear', { id }),
    call: (n) => page.evaluate(`void setTimeout(() => globalThis.cases[${n}]())`),
    stands: async () => (await site.standing())[0]!.frames[0]!.line,
    names: async () => {
      const answer = await window.ask('scopes', { frame: 0 });
      return answer.is === 'scopes' ? answer.scopes.flatMap(({ variables }) => variables.map(({ name }) => name)) : [];
    },
    evaluate: async (text) => {
      const answer = await window.ask('evaluateIn', { text, frame: 0 });
      return answer.is === 'value' ? valueText(answer.value) : JSON.stringify(answer);
    },
    goOn: () => window.ask('go', { how: 'on' }),
    result: (n) => eventually(() => page.evaluate(`globalThis.results[${n}]`)) as Promise<string>,
  };
}

test('a page stops in each kind of code, shows and takes its variables, and goes on', async () => {
  const program = await casesSite();
  const wrong: string[] = [];
  for (const n of inTurn([...NAMES.keys()], 2)) wrong.push(...(await tryCase(program, n)));
  expect(wrong).toEqual([]);
});

const TOLLS = `const rate = 4
export function due(tonnes: number): number {
  const base = tonnes * rate
  let extra = 0
  for (const step of [1, 2]) extra += step
  return base + extra
}
export const all = (list: number[]): number[] => list.map((one) => due(one))
`;
const MAIN = `import { all, due } from './tolls'
const out = document.getElementById('out')!
let count = 0
async function pay(event: Event): Promise<void> {
  count++
  const sum = all([count, 10]).reduce((a, b) => a + b)
  const later = await Promise.resolve(sum)
  const more = due(later)
  out.textContent = \`\${count}: \${later} \${more}\`
}
document.getElementById('pay')!.addEventListener('click', (event) => void pay(event))
`;

async function begin() {
  site = await startSite(browser, {
    'index.html': '<button id="pay">pay</button><p id="out"></p><script type="module" src="/main.ts"></script>',
    'main.ts': MAIN,
    'tolls.ts': TOLLS,
  });
  const { window, page, dir } = site;
  const file = join(dir, 'tolls.ts');
  await site.executes(file);
  const lineOf = (part: string): number =>
    readFileSync(file, 'utf8')
      .split('\n')
      .findIndex((text) => text.includes(part));
  let last = 0;
  const next = async (): Promise<string> => {
    let found: Standing | undefined;
    await eventually(async () => {
      [found] = (await window.ask('held', {})).standing;
      return found !== undefined && found.number !== last;
    });
    last = found!.number;
    return shown(found!);
  };
  return {
    ...{ file, lineOf, next },
    set: (part: string, more: object = {}) => window.ask('breakpoint', { file, line: lineOf(part), ...more }),
    click: () => void page.click('#pay', { noWaitAfter: true }).catch(() => undefined),
    go: async (how: 'on' | 'over' | 'into' | 'out') => {
      await window.ask('go', { how });
      return how === 'on' ? '' : next();
    },
    value: async (text: string, frame = 0) => {
      const answer = await window.ask('evaluateIn', { text, frame });
      return answer.is === 'value'
        ? valueText(answer.value)
        : answer.is === 'cannot'
          ? answer.why
          : answer.error.message;
    },
    names: async (frame = 0) => {
      const answer = await window.ask('scopes', { frame });
      return answer.is === 'cannot'
        ? answer.why
        : answer.scopes.flatMap(({ variables }) => variables.map(({ name }) => name)).join(' ');
    },
    out: () => page.innerText('#out'),
  };
}

/** \`breakpoint due:4 < :8\`. */
function shown({ reason, frames }: Standing): string {
  return `${reason} ${frames.map(({ name, line }) => `${name}:${line + 1}`).join(' < ')}`;
}

test('a page stops at a breakpoint, tells its variables, takes assignments, is changed while it stands, and goes on', async () => {
  const { set, click, next, go, value, names, out, file } = await begin();
  const point = await set('let extra');
  expect(point).toMatchObject({ state: 'set' });
  click();
  expect(await next()).toBe('breakpoint due:4 < :8 < all:8 < pay:6 < :11');
  expect(await names()).toBe('base tonnes');
  expect(await names(3)).toMatch(/^its variables cannot be reached in a page/);
  expect(await value('[tonnes, base, rate].join()')).toBe("'1,4,4'");
  expect(await value('base = 2')).toBe('base is a constant');
  expect(await value('missing')).toBe('missing is not defined');
  expect(await value('tonnes = 5')).toBe('5');
  writeFileSync(file, TOLLS.replace('base + extra', 'base + extra + 100'));
  await eventually(() => site.output().includes('due patched'));
  expect(await go('over')).toBe('step due:5 < :8 < all:8 < pay:6 < :11');
  await go('on');
  // The call that stood goes on as it was; the next ones are new.
  expect(await next()).toBe('breakpoint due:4 < :8 < all:8 < pay:6 < :11');
  await go('on');
  expect(await next()).toBe('breakpoint due:4 < pay:8');
  await site.window.ask('clear', { id: point.id });
  await go('on');
  await eventually(async () => (await out()) === '1: 150 703');
});

test('steps go over, into and out; calls around have their variables when it stops under them again', async () => {
  const { set, click, next, go, value, names } = await begin();
  const point = await set('let extra');
  click();
  for (let n = 0; n < 3; n++) {
    await next();
    await go('on');
  }
  click();
  expect(await next()).toBe('breakpoint due:4 < :8 < all:8 < pay:6 < :11');
  expect(await names(2)).toBe('list');
  expect(await value('list.length', 2)).toBe('2');
  expect(await value('count = 40', 3)).toBe('40');
  expect(await names(4)).toBe('event');
  // It has no version of its own: it stands in the expression of \`all\`.
  expect(await names(1)).toMatch(/^its variables cannot be reached in a page/);
  await site.window.ask('clear', { id: point.id });
  expect(await go('over')).toBe('step due:5 < :8 < all:8 < pay:6 < :11');
  // The callback is called for the next one.
  expect(await go('out')).toBe('step :8 < all:8 < pay:6 < :11');
  expect(await names()).toBe('one list');
  expect(await go('out')).toBe('step :6 < pay:6 < :11');
  expect(await go('out')).toBe('step pay:7 < :11');
  // Behind the await it goes on by itself.
  expect(await go('over')).toBe('step pay:8');
  expect(await names()).toBe('sum later event');
  expect(await go('into')).toBe('step due:3 < pay:8');
  expect(await names(1)).toBe('sum later event');
  await go('on');
  await site.standing(0);
});

test('entry, value, condition, count, message; a condition that throws sleeps', async () => {
  const { set, click, next, go, value } = await begin();
  const each = async (more: object): Promise<string[]> => {
    const point = await set('return base', more);
    click();
    const seen: string[] = [];
    for (;;) {
      const there = await next().catch(() => '');
      if (there === '') break;
      seen.push(`${there.slice(0, there.indexOf(' <'))} ${await value('tonnes')}`);
      if (seen.length === 3) await site.window.ask('clear', { id: point.id });
      await go('on');
      if (seen.length === 3) break;
    }
    await site.standing(0);
    return seen;
  };
  expect(await each({ where: 'entry' })).toEqual(['breakpoint due:2 1', 'breakpoint due:2 10', 'breakpoint due:2 50']);
  expect(await each({ where: 'return' })).toEqual(['return due:6 2', 'return due:6 10', 'return due:6 54']);
  const second = await set('return base', { condition: 'tonnes > 5', every: 2 });
  click();
  expect(await next()).toBe('breakpoint due:6 < pay:8');
  await site.window.ask('clear', { id: second.id });
  await go('on');
  await set('return base', { message: '{tonnes} owe {base}' });
  const bad = await set('return base', { condition: 'tonnes.load.size' });
  click();
  await eventually(() => site.told.filter((text) => / owe /.test(text)).length === 3);
  const { breakpoints } = await site.window.ask('held', {});
  expect(breakpoints.find(({ id }) => id === bad.id)).toMatchObject({
    state: 'asleep',
    why: expect.stringContaining('TypeError'),
  });
});

test('pause now stops in the next function; two pages stand one by one; what stands is let go with its window, and with the server', async () => {
  const { click, next, go, out, set } = await begin();
  await eventually(async () => (await site.window.ask('describe', {})).places.length > 0);
  expect(await site.window.ask('errors', { which: 'all' })).toMatchObject({
    is: 'cannot',
    why: expect.stringContaining('calls that fail there can be held'),
  });
  expect((await site.window.ask('held', {})).stopsAtErrors).toBe('none');
  await site.window.ask('pause', {});
  click();
  expect(await next()).toBe('asked :11');
  await go('on');
  await eventually(async () => (await out()).startsWith('1:'));
  const other = await browser.newPage();
  await other.goto(site.url);
  const watcher = await joinTarget(site.target.address, site.target.token, {});
  const point = await watcher.ask('breakpoint', { file: join(site.dir, 'tolls.ts'), line: 5, own: true });
  expect(point.state).toBe('set');
  click();
  void other.click('#pay', { noWaitAfter: true }).catch(() => undefined);
  const both = await site.standing(2);
  expect(new Set(both.map(({ where }) => where)).size).toBe(2);
  await other.close({ runBeforeUnload: false });
  const [left] = await site.standing(1);
  expect(left!.where).not.toBe('');
  watcher.close();
  await site.standing(0);
  await eventually(async () => (await out()).startsWith('2:'));
  await set('return base');
  click();
  await next();
  site.kill();
  await eventually(async () => (await out()).startsWith('3:'));
});

test('a call that fails in a page is held with the variables of its functions, is mended, and goes on', async () => {
  const { click, out, file } = await begin();
  const { window } = site;
  await window.ask('hold', { mode: 'on' });
  const broken = TOLLS.replace('base + extra\n', 'base + extra.total.size\n');
  writeFileSync(file, broken);
  await eventually(() => site.output().includes('due patched'));
  click();
  const [call] = await eventually(async () => {
    const { calls } = await window.ask('held', {});
    return calls.length > 0 && calls;
  });
  expect(call!.error.message).toContain("reading 'size'");
  const seen = call!.frames.map(({ name, line, scopes }) => {
    const own = scopes.flatMap(({ variables }) => variables.map((one) => `${one.name} = ${valueText(one.value)}`));
    return `${name}:${line + 1} ${own.join(', ')}`;
  });
  expect(seen).toEqual([
    'due:6 base = 4, extra = 3, tonnes = 1',
    'all:8 list = [1, 10]',
    // The engine tells of ten frames: where this one stood is not known.
    expect.stringMatching(/^pay:0 .*event = PointerEvent/),
  ]);
  writeFileSync(file, TOLLS);
  await eventually(() => site.output().split('due patched').length === 3);
  await window.ask('release', { id: call!.id, how: 'again' });
  await eventually(async () => /^2: 54 219/.test(await out()));
});
