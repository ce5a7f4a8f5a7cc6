import { createServer, type Server } from 'node:http';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { FileSystemConfigLoader, HtmlValidate } from 'html-validate';
import { cli, folder, root, start } from './harness.js';

const examples = join(root, 'examples');

/** A registry of one package, as npm asks for it. */
async function registry(): Promise<{ server: Server; url: string }> {
  const dir = folder({
    'package/package.json': JSON.stringify({ name: 'wenlow-tides', version: '1.2.3', main: 'index.js', type: 'commonjs' }),
    'package/index.js': `exports.high = () => 'high water';\nexports.low = () => 'low water, and much more text than the other one has';\n`,
  });
  spawnSync('tar', ['czf', 'tides.tgz', 'package'], { cwd: dir });
  const bytes = readFileSync(join(dir, 'tides.tgz'));
  const server = createServer((request, response) => {
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    if (request.url === '/wenlow-tides') {
      const dist = {
        tarball: `${base}/tides.tgz`,
        integrity: `sha512-${createHash('sha512').update(bytes).digest('base64')}`,
        shasum: createHash('sha1').update(bytes).digest('hex'),
      };
      response.setHeader('content-type', 'application/json');
      response.end(
        JSON.stringify({
          name: 'wenlow-tides',
          'dist-tags': { latest: '1.2.3' },
          versions: { '1.2.3': { name: 'wenlow-tides', version: '1.2.3', main: 'index.js', dist } },
        }),
      );
    } else if (request.url === '/tides.tgz') response.end(bytes);
    else if (request.url === '/wenlow-slow') return;
    else {
      response.statusCode = 404;
      response.end('{}');
    }
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { server, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/` };
}

/** As {@link cli}, without holding up this process, which serves the registry. */
async function run(args: string[], cwd: string, env: Record<string, string>): Promise<{ code: number | null; text: string }> {
  const child = start(args, { cwd, env });
  const code = await child.exited;
  return { code, text: child.text };
}

describe('packages for pads', () => {
  let served: Awaited<ReturnType<typeof registry>>;
  beforeAll(async () => {
    served = await registry();
  });
  afterAll(() => {
    served.server.closeAllConnections();
    served.server.close();
  });
  const env = (): Record<string, string> => ({ npm_config_registry: served.url, npm_config_cache: folder(), npm_config_fetch_retries: '0' });
  const pad = `import { high } from 'wenlow-tides';\nhigh();\n`;

  test('an import that is not there says how to add it; added, it runs, beside the pad and not in the project', async () => {
    const dir = folder({ 'package.json': '{"private":true}', 'pads/tides.ts': pad });
    const missing = cli(['run', 'pads/tides.ts'], { cwd: dir });
    expect(missing.stdout).toContain("the package 'wenlow-tides' is not installed. Add it: usher-anvil add wenlow-tides --for tides.ts");
    const added = await run(['add', 'wenlow-tides', '--for', 'pads/tides.ts'], dir, env());
    expect(added).toEqual({ code: 0, text: 'wenlow-tides 1.2.3 added for pads/tides.ts, in pads/.usher-anvil\n' });
    expect(readFileSync(join(dir, 'package.json'), 'utf8')).toBe('{"private":true}');
    expect(existsSync(join(dir, 'node_modules'))).toBe(false);
    const ran = cli(['run', 'pads/tides.ts', '--sizes'], { cwd: dir });
    expect(ran.stdout).toContain("'high water'");
    expect(ran.stdout).toMatch(/wenlow-tides: \d+ bytes minified, \d+ bytes with gzip/);
    const required = join(dir, 'pads/old.cjs');
    writeFileSync(required, `const { low } = require('wenlow-tides');\nlow().length;\n`);
    expect(cli(['run', 'pads/old.cjs'], { cwd: dir }).stdout).toContain('│ 52');
  }, 60_000);

  test('into the project where that is asked', async () => {
    const dir = folder({ 'package.json': '{"private":true}', 'tides.ts': pad });
    expect((await run(['add', 'wenlow-tides', '--project'], dir, env())).code).toBe(0);
    expect(JSON.parse(readFileSync(join(dir, 'package.json'), 'utf8'))).toMatchObject({ dependencies: { 'wenlow-tides': '^1.2.3' } });
  }, 60_000);

  test('what cannot be added says why, and leaves things as they were', async () => {
    const dir = folder({ 'tides.ts': pad });
    const none = await run(['add', 'wenlow-nothing'], dir, env());
    expect(none).toMatchObject({ code: 2, text: expect.stringContaining("E_NO_PACKAGE  The registry knows no package 'wenlow-nothing'") as string });
    const version = await run(['add', 'wenlow-tides@9'], dir, env());
    expect(version.text).toContain('E_NO_PACKAGE  There is no version that fits wenlow-tides@9');
    const offline = await run(['add', 'wenlow-tides'], dir, { ...env(), npm_config_registry: 'http://127.0.0.1:9/' });
    expect(offline.text).toContain('E_OFFLINE  The registry of npm cannot be reached');
    const noNpm = cli(['add', 'wenlow-tides'], { cwd: dir, env: { PATH: '/nowhere' } });
    expect([noNpm.code, noNpm.stderr]).toEqual([2, 'usher-anvil: E_NO_NPM  npm was not found. Install it, or put it on the PATH.\n']);
    for (const name of ['../up', 'https://canal.example/x.tgz']) expect(cli(['add', '--', name], { cwd: dir }).stderr).toContain('E_OPTION');
    expect(existsSync(join(dir, '.usher-anvil/node_modules/wenlow-tides'))).toBe(false);
  }, 90_000);

  test('interrupted half-way, nothing is changed', async () => {
    const dir = folder({ 'tides.ts': pad });
    const child = start(['add', 'wenlow-slow'], { cwd: dir, env: env() });
    await new Promise((resolve) => setTimeout(resolve, 1_500));
    child.child.kill('SIGINT');
    expect(await child.exited).toBe(2);
    expect(child.text).toContain('E_INTERRUPTED  Adding wenlow-slow was interrupted. Nothing was changed');
    expect(readFileSync(join(dir, '.usher-anvil/package.json'), 'utf8')).not.toContain('wenlow-slow');
  }, 60_000);
});

describe('a pad as a filter', () => {
  const dir = folder({
    'heavy.ts': `import { input } from 'usher-anvil/pad';\nconsole.log('reads', input.name);\nexport default input.lines.filter((line) => Number(line.split(' ')[1]) > 10).map((line) => ({ line }));\n`,
    'upper.ts': `import { input } from 'usher-anvil/pad';\nexport default input.text.toUpperCase();\n`,
    'bytes.ts': `export default new Uint8Array([104, 105]);\n`,
    'none.ts': `const x = 1;\n`,
    'fails.ts': `export default 1;\nthrow new Error('aground');\n`,
    'function.ts': `export default () => 1;\n`,
    'later.ts': `export default Promise.resolve({ ok: true });\n`,
    'log.txt': 'Heron 20\nOtter 5\n',
  });

  test('reads a file or a pipe, and prints its default export alone', () => {
    const file = cli(['run', 'heavy.ts', '--input', 'log.txt', '--result'], { cwd: dir });
    expect([file.stdout, file.stderr, file.code]).toEqual(['[\n  {\n    "line": "Heron 20"\n  }\n]\n', 'reads log.txt\n', 0]);
    expect(cli(['run', 'upper.ts', '--result'], { cwd: dir, input: 'slate\n' }).stdout).toBe('SLATE\n');
    const large = cli(['run', 'upper.ts', '--result'], { cwd: dir, input: 'slate and lime\n'.repeat(400_000) });
    expect([large.stdout.length, large.stdout.slice(-15)]).toEqual([6_000_000, 'SLATE AND LIME\n']);
    expect(cli(['run', 'bytes.ts', '--result'], { cwd: dir }).stdout).toBe('hi');
    expect(cli(['run', 'later.ts', '--result'], { cwd: dir }).stdout).toBe('{\n  "ok": true\n}\n');
  });

  test.each([
    ['none.ts', 'it has no default export'],
    ['function.ts', 'its default export is a function'],
    ['fails.ts', 'Error: aground'],
  ])('%s fails, with nothing on standard output', (pad, message) => {
    const { stdout, stderr, code } = cli(['run', pad, '--result'], { cwd: dir });
    expect([stdout, code]).toEqual(['', 1]);
    expect(stderr).toContain(message);
  });

  test('an input that cannot be read is told at once', () => {
    expect(cli(['run', 'upper.ts', '--input', 'nowhere.log'], { cwd: dir }).stderr).toContain('E_NOT_FOUND  nowhere.log');
    expect(cli(['run', 'upper.ts', '--input', '.'], { cwd: dir }).stderr).toContain('E_IS_FOLDER');
  });

  test('and a gate opens by name', () => {
    const shut = cli(['run', join(examples, 'ledger/ledger.ts')]);
    expect([shut.code, shut.stdout]).toEqual([0, expect.stringMatching(/‖ charge the ledger {2}closed/)]);
    const opened = cli(['run', join(examples, 'ledger/ledger.ts'), '--open', 'charge the ledger']);
    expect(opened.stdout).toContain("'2 charged, 6740 pence in the ledger'");
  });
});

describe('one file to hand over', () => {
  const secret = 'tok-4711-wenlow-secret';
  const hostile = `import { test } from 'node:test';\nimport { draw, plot, table, paint } from 'usher-anvil/pad';\n// <script>alert(1)</script> "quoted" & more\nconst where = [import.meta.url, process.cwd(), process.env.HOME, process.env.WENLOW_TOKEN];\nconsole.log('</pre><script>alert(2)</script>', where.join(' '));\nconst bad = '<img src=x onerror=alert(3)>';\ntable([{ '<b>': bad }], '<i>title</i>');\nplot([1, 3, 2]);\ndraw(80, 40, (c) => { c.fillStyle = 'red" onload="alert(4)'; c.fillRect(0, 0, 9, 9); c.fillText('</svg><script>', 3, 3); c.arc(20, 20, 8, 0, 7); c.stroke(); });\npaint(8, 8, (x, y) => x * y);\ntest('<u>name</u>', () => { throw new Error('</style><script>'); });\n`;
  const dir = folder({ 'hostile.ts': hostile });

  test.each(['html', 'md', 'svg', 'json'])('%s holds code and values, and neither paths nor secrets', (format) => {
    const { stdout } = cli(['export', 'hostile.ts', '--format', format, '--out', '-'], { cwd: dir, env: { WENLOW_TOKEN: secret } });
    expect(stdout).toContain('where');
    expect(stdout).not.toContain(dir);
    expect(stdout).not.toContain(homedir());
    expect(stdout).not.toContain(secret);
    expect(stdout).toContain('(hidden)');
  });

  test('the page is valid HTML without any script', async () => {
    const validator = new HtmlValidate(
      new FileSystemConfigLoader({ extends: ['html-validate:standard'], rules: { 'no-inline-style': 'off', 'long-title': 'off' } }),
    );
    for (const pad of [join(dir, 'hostile.ts'), join(examples, 'tolls/tolls.ts'), join(examples, 'ledger/ledger.ts')]) {
      const { stdout } = cli(['export', pad, '--out', '-'], { cwd: dir });
      expect(stdout).not.toMatch(/<script|<img(?! alt="" width="\d+" src="data:image\/bmp;base64,[\w+/=]*">)/i);
      const report = await validator.validateString(stdout, 'page.html');
      expect(report.results.flatMap((one) => one.messages.map((message) => `${message.line}: ${message.ruleId} ${message.message}`))).toEqual([]);
    }
  }, 60_000);

  test('SVG is well-formed, Markdown keeps its fences, JSON its format; a file is written where none is named', () => {
    const svg = cli(['export', 'hostile.ts', '--format', 'svg', '--out', '-'], { cwd: dir }).stdout;
    expect(svg).not.toContain('<script');
    const fenced = cli(['export', 'hostile.ts', '--format', 'md', '--out', '-'], { cwd: dir }).stdout;
    expect(fenced.split('\n').filter((line) => line.startsWith('```')).length % 2).toBe(0);
    expect(JSON.parse(cli(['export', 'hostile.ts', '--format', 'json', '--out', '-'], { cwd: dir }).stdout)).toMatchObject({ format: 'usher-anvil/record@1' });
    expect(cli(['export', 'hostile.ts'], { cwd: dir }).stdout).toMatch(/^hostile\.html {2}\d/);
    expect(existsSync(join(dir, 'hostile.html'))).toBe(true);
  });

  test('a PNG is drawn by Chromium, and where there is none that is said', () => {
    const made = cli(['export', 'hostile.ts', '--format', 'png'], { cwd: dir });
    expect(made.code).toBe(0);
    expect(readFileSync(join(dir, 'hostile.png')).subarray(1, 4).toString()).toBe('PNG');
    mkdirSync(join(dir, 'empty'), { recursive: true });
    const none = cli(['export', 'hostile.ts', '--format', 'png'], { cwd: dir, env: { PATH: join(dir, 'empty'), CHROMIUM: '' } });
    expect([none.code, none.stderr]).toEqual([2, expect.stringContaining('E_NO_BROWSER')]);
  }, 60_000);

  test('what is asked for wrongly is told', () => {
    expect(cli(['export', 'hostile.ts', '--format', 'pdf'], { cwd: dir }).stderr).toContain('--format is "pdf". It is one of html, md, svg, png, json.');
    expect(cli(['export', 'hostile.ts', '--out', 'no/such/folder/x.html'], { cwd: dir }).stderr).toContain('E_WRITE');
  });
});

test('types are told beside the run, and never stop it', () => {
  const dir = folder({
    'types.ts': `import { readFileSync } from 'node:fs';\nimport { knob } from 'usher-anvil/pad';\nconst rise: string = 4.2;\nconst n: number = knob('n', 1, { min: 0, max: 2 });\nrise;\nreadFileSync.name;\n`,
  });
  const { stdout, code } = cli(['run', 'types.ts', '--types'], { cwd: dir });
  expect(code).toBe(0);
  expect(stdout).toContain("Types 1\n~ types.ts:3  Type 'number' is not assignable to type 'string'. TS2322");
  expect(cli(['run', 'types.ts'], { cwd: dir }).stdout).not.toContain('Types');
}, 30_000);
