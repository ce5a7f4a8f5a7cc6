/** The engine in a page: what pads print in its workers is what they print in plain ones, and types are erased alike. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import vm from 'node:vm';
import { build } from 'esbuild';
import type { Browser, Page } from 'playwright-core';
import { alonePage, thread } from './alone-page.js';
import { launch } from './browser.js';
import { inTurn, root } from './harness.js';
import { programs } from './programs.js';
import { listing, statements, written } from './statements.js';

let browser: Browser;
let page: Page;
let close: () => void;
beforeAll(async () => {
  const script = `globalThis.ours = async (thread, files, pad, packages = '') => {
  const session = globalThis.session(thread, files, pad, { timeLimitMs: 30_000, hangMs: 15_000 }, packages);
  session.execute();
  const record = await session.settled();
  await session.close();
  return { printed: record.console.map(({ text }) => text), errors: record.errors.map(({ name, message }) => name + ': ' + message), tests: record.tests.map(({ name, state }) => name + ' ' + state), outcome: record.outcome, stop: record.stop?.reason, timers: record.timers.length };
};
globalThis.repeated = async (thread, files, pad, around) => {
  const session = globalThis.session(thread, files, pad, { depth: 'steps', stepsBytes: 1024 * 1024, timeLimitMs: 60_000, hangMs: 30_000 });
  const printed = [];
  session.execute();
  printed.push((await session.settled()).console.map(({ text }) => text));
  for (const step of around) {
    if (!session.repeat(step)) printed.push(['not repeated']);
    else printed.push((await session.settled()).console.map(({ text }) => text));
  }
  await session.close();
  return printed;
};
globalThis.plain = (text, type) => new Promise((resolve) => {
  const own = 'const printed = []; console.log = (...all) => { printed.push(all.join(" ")); }; addEventListener("message", () => postMessage({ printed }));\\n';
  const worker = new Worker(URL.createObjectURL(new Blob([own + text], { type: 'text/javascript' })), { type });
  let error = '';
  worker.onerror = (event) => { event.preventDefault(); error = event.message; };
  worker.onmessage = ({ data }) => { worker.terminate(); resolve({ ...data, error }); };
  setTimeout(() => { worker.postMessage(0); setTimeout(() => resolve({ printed: [], error: error || 'silent' }), 1_000); }, 60);
});`;
  browser = await launch();
  ({ page, close } = await alonePage(browser, script, { '/level': () => `level ${Math.random()}` }));
});
afterAll(async () => {
  await browser.close();
  close();
});

interface Outcome {
  printed: string[];
  errors: string[];
  tests: string[];
  outcome: string;
  stop?: string;
}

const ours = (files: Record<string, string>, pad: string): Promise<Outcome> =>
  page.evaluate(
    ([code, all, name]) =>
      (globalThis as unknown as { ours(...args: unknown[]): Promise<Outcome> }).ours(code, all, name),
    [thread, files, pad] as const,
  );

const OUT =
  'const out = (...all) => console.log(all.map((one) => { try { return String(one) } catch { return typeof one } }).join(" "));\n';

/** A long text in a line. */
const SUM =
  'const sum = (text) => { let all = 0; for (let i = 0; i < text.length; i++) all = (all * 31 + text.charCodeAt(i)) | 0; return text.length + " " + all };\n';

test('programs that break naive probes print in a page what they print without us', async () => {
  const different: object[] = [];
  let compared = 0;
  for (const [name, code] of Object.entries(programs)) {
    const text = `${OUT}${code}\n`;
    for (const type of ['module', 'classic'] as const) {
      const alone = await page.evaluate(
        ([given, kind]) =>
          (
            globalThis as unknown as {
              plain(text: string, type: string): Promise<{ printed: string[]; error: string }>;
            }
          ).plain(given, kind),
        // A script of CommonJS is a function.
        [type === 'module' ? text : `(function () {\n${text}})()`, type] as const,
      );
      // What only the other kind may say, or only Node has, is no program for this one.
      if (alone.error !== '') continue;
      compared++;
      const file = type === 'module' ? '/canal.mjs' : '/canal.cjs';
      const { printed } = await ours({ [file]: text }, file);
      if (JSON.stringify(printed) !== JSON.stringify(alone.printed))
        different.push({ name, type, printed, plain: alone.printed });
    }
  }
  expect(different).toEqual([]);
  expect(compared).toBeGreaterThan(90);
});

test('a timer that is cleared is over, by its number or the text of it, and by either function', async () => {
  const run = await ours(
    {
      '/canal.mjs': `let ticks = 0
const every = setInterval(() => { if (++ticks === 3) clearInterval(every) }, 2)
const other = setInterval(() => 0, 2)
clearTimeout(String(other))
console.log(clearInterval.name, clearInterval.length, String(clearTimeout))
setTimeout(() => console.log('ticks', ticks), 60)
`,
    },
    '/canal.mjs',
  );
  expect(run).toMatchObject({ outcome: 'ok', timers: 0 });
  expect(run.printed).toEqual(['clearInterval 0 function clearTimeout() { [native code] }', 'ticks 3']);
});

test('a run that is longer than what is kept is repeated with the same clocks, random numbers, timers and answers', async () => {
  const text = `function busy(turns) {
  let sum = 0
  for (let i = 0; i < turns; i++) sum += i % 7
  return sum
}
const said = []
for (const [name, ms] of [['slate', 4], ['lime', 1], ['timber', 2]])
  setTimeout((more) => said.push(name + more + Math.random(), Date.now()), ms, ' boat ')
let ticks = 0
const every = setInterval(() => {
  said.push('tick ' + new Date().toISOString() + performance.now())
  if (++ticks === 3) clearInterval(every)
}, 3)
const answer = await fetch(PAGE + '/level')
said.push(answer.status, await answer.text(), crypto.randomUUID(), String(crypto.getRandomValues(new Uint8Array(3))))
said.push(busy(60000))
await new Promise((done) => setTimeout(done, 60))
said.push(busy(60000))
console.log(said.join(' | '))
`;
  const [first, ...others] = await page.evaluate(
    ([code, files]) =>
      (globalThis as unknown as { repeated(...args: unknown[]): Promise<string[][]> }).repeated(
        code,
        files,
        '/canal.mjs',
        [1_000, 100_000],
      ),
    [thread, { '/canal.mjs': text.replace('PAGE', JSON.stringify(new URL(page.url()).origin)) }] as const,
  );
  expect(first![0]).toMatch(/slate boat 0\.\d+/);
  expect(first![0]).toMatch(/tick 20.* level 0\.\d+/);
  expect(others).toEqual([first, first]);
});

const plainly = (text: string, type: string) =>
  page.evaluate(
    ([given, kind]) =>
      (
        globalThis as unknown as { plain(text: string, type: string): Promise<{ printed: string[]; error: string }> }
      ).plain(given, kind),
    [text, type] as const,
  );

test('every kind of statement before every kind prints in a page what it prints without us', async () => {
  let programs = 0;
  const different: object[] = [];
  for (const first of inTurn(statements, 24)) {
    const listed = statements
      .map((second, index) => listing(`${written(first, `1_${index}`)}\n${written(second, `2_${index}`)}`))
      .filter(parses);
    programs += listed.length;
    const compare = async (text: string) => {
      const alone = await plainly(`(function () {\n${OUT}${text}})()`, 'classic');
      const { printed } = await ours({ '/canal.cjs': OUT + text }, '/canal.cjs');
      return { text, printed, plain: alone.printed, isSame: printed.join('\n') === alone.printed.join('\n') };
    };
    const all = await compare(listed.join('\n'));
    expect(all.printed.length).toBeGreaterThan(listed.length);
    if (!all.isSame)
      for (const text of listed) {
        const { isSame, ...one } = await compare(text);
        if (!isSame) different.push(one);
      }
    if (different.length > 5) break;
  }
  expect(different).toEqual([]);
  expect(programs).toBeGreaterThan(500);
});

test.each([
  [
    'a parser, parsing itself',
    ['acorn/dist/acorn.js'],
    "const parser = require('./acorn.js')\nout(sum(JSON.stringify(parser.parse(TEXT, { ecmaVersion: 2022, locations: true }))))",
  ],
  [
    'a numeric library',
    ['decimal.js/decimal.js'],
    `const Decimal = require('./decimal.js')
for (let i = 1; i < 40; i++) {
  const n = new Decimal(i + '.' + i * 7)
  for (const method of ['sqrt', 'cbrt', 'ln', 'exp', 'sin', 'tan', 'neg', 'floor']) out(String(n[method]()))
  out(String(n.pow(i / 3)), String(n.div(7)), String(n.toFraction(1000)), String(n.toBinary()))
}`,
  ],
  [
    'a text formatter, formatting a parser',
    ['js-beautify/js/lib/beautify.js'],
    "out(sum(require('./beautify.js').js_beautify(TEXT.slice(0, TEXT.lastIndexOf('\\n', 60000)), { indent_size: 3, brace_style: 'expand', wrap_line_length: 80 })))",
  ],
])('%s prints in a page, all of it instrumented, what it prints without us', async (_name, paths, use) => {
  const text = readFileSync(join(root, 'node_modules/acorn/dist/acorn.js'), 'utf8');
  const files: Record<string, string> = {
    '/canal.cjs': `${OUT}${SUM}const TEXT = ${JSON.stringify(text)}\n${use}\n`,
  };
  for (const path of paths) files[`/${path.split('/').pop()}`] = readFileSync(join(root, 'node_modules', path), 'utf8');
  const { outputFiles } = await build({
    stdin: { contents: files['/canal.cjs']!, resolveDir: '/', loader: 'js' },
    ...{ bundle: true, write: false, format: 'iife', platform: 'browser', target: 'es2022', logLevel: 'silent' },
    plugins: [
      {
        name: 'memory',
        setup({ onResolve, onLoad }) {
          onResolve({ filter: /^\.\// }, ({ path }) => ({ path: path.slice(1), namespace: 'memory' }));
          onLoad({ filter: /.*/, namespace: 'memory' }, ({ path }) => ({ contents: files[path]!, loader: 'js' }));
        },
      },
    ],
  });
  const alone = await plainly(outputFiles[0]!.text, 'classic');
  const { printed, errors, outcome } = await ours(files, '/canal.cjs');
  expect({ errors, outcome, error: alone.error }).toEqual({ errors: [], outcome: 'ok', error: '' });
  expect(printed.length).toBeGreaterThan(0);
  expect(printed).toEqual(alone.printed);
});

function parses(text: string): boolean {
  try {
    new vm.Script(`(function(){${text}\n})`);
    return true;
  } catch {
    return false;
  }
}

test('modules, JSON, tests, and what is missing', async () => {
  const run = await ours(
    {
      '/pads/tolls.ts': `import { test, describe } from 'node:test'
import assert, { deepStrictEqual, rejects, throws } from 'node:assert/strict'
import { rate } from './rates'
import boats from '../boats.json' with { type: 'json' }
describe('tolls', () => {
  test('equal', () => deepStrictEqual(boats.map(({ name }: { name: string }) => name), ['Heron']))
  test('differs', () => assert.deepEqual({ a: [1, new Map([[1, 2]])] }, { a: [1, new Map([[1, 3]])] }))
  test('throws', () => throws(() => { throw new RangeError('too deep') }, { name: 'RangeError', message: /deep/ }))
  test('rejects', () => rejects(Promise.reject(new TypeError('x')), TypeError))
})
console.log(rate('slate'))
`,
      '/pads/rates.ts': "export const rate = (kind: string): number => (kind === 'slate' ? 3 : 2)\n",
      '/boats.json': '[{ "name": "Heron" }]',
    },
    '/pads/tolls.ts',
  );
  expect(run.printed).toEqual(['3']);
  expect(run.tests).toEqual(['tolls failed', 'equal passed', 'differs failed', 'throws passed', 'rejects passed']);
  const scripts = await ours(
    {
      '/level.cjs':
        "const { rise, half } = require('./rise.cjs')\nmodule.exports = { level: rise(2) }\nconsole.log(module.exports.level, half, require('./boats.json').length, require('./rise.cjs') === require('./rise'))\n",
      '/rise.cjs': 'exports.rise = (by) => by * 3\nexports.half = typeof __dirname + this.rise(1)\n',
      '/boats.json': '[1, 2]',
    },
    '/level.cjs',
  );
  expect(scripts).toMatchObject({ errors: [], printed: ['6 string3 2 true'] });
  const mixed = await ours(
    {
      '/a.mjs': "import { rise } from './rise.cjs'\nconsole.log(rise(4))\n",
      '/rise.cjs': 'exports.rise = (by) => by * 3\n',
    },
    '/a.mjs',
  );
  expect(mixed).toMatchObject({ errors: [], printed: ['12'] });
  const lost = await ours({ '/a.js': "import { rate } from './rats.js'\n", '/rates.js': '' }, '/a.js');
  expect(lost.errors.join()).toMatch(/'\.\/rats\.js' does not exist/);
  const node = await ours({ '/a.js': "import fs from 'node:fs'\n" }, '/a.js');
  expect(node.errors.join()).toMatch(/'node:fs' is a module of Node/);
  const loop = await ours({ '/loop.mjs': 'let turns = 0\nfor (;;) turns++\n' }, '/loop.mjs');
  expect(loop.stop).toBe('not-answering');
});

test('types of our own sources are erased as the library of Node erases them', async () => {
  const { eraseTypes } = await import('#dist/instrument/erase.js');
  const { nodeTranslator } = await import('#dist/hosts/node/translate.js');
  const different: string[] = [];
  let both = 0;
  for (const name of readdirSync(join(root, 'src'), { recursive: true }) as string[]) {
    if (!/(?<!\.d)\.ts$/.test(name)) continue;
    const text = readFileSync(join(root, 'src', name), 'utf8');
    const [own, theirs] = [eraseTypes(text, 'module'), nodeTranslator.erase(text, 'module')];
    if (own === null && theirs === null) continue;
    both++;
    // An empty statement more or less is no difference.
    const plain = (code: string | null): string | undefined => code?.replace(/[\s;]+/g, ' ');
    if (plain(own) !== plain(theirs)) different.push(name);
  }
  expect(different).toEqual([]);
  expect(both).toBeGreaterThan(500);
});
