import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { FileSystemConfigLoader, HtmlValidate } from 'html-validate';
import { cli, folder, root } from './harness.js';

const examples = join(root, 'examples');

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
    expect([file.stdout, file.stderr, file.code]).toEqual([
      '[\n  {\n    "line": "Heron 20"\n  }\n]\n',
      'reads log.txt\n',
      0,
    ]);
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
    expect(cli(['run', 'upper.ts', '--input', 'nowhere.log'], { cwd: dir }).stderr).toContain(
      'E_NOT_FOUND  nowhere.log',
    );
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
    const { stdout } = cli(['export', 'hostile.ts', '--format', format, '--out', '-'], {
      cwd: dir,
      env: { WENLOW_TOKEN: secret },
    });
    expect(stdout).toContain('where');
    expect(stdout).not.toContain(dir);
    expect(stdout).not.toContain(homedir());
    expect(stdout).not.toContain(secret);
    expect(stdout).toContain('(hidden)');
  });

  test('the page is valid HTML without any script', async () => {
    const validator = new HtmlValidate(
      new FileSystemConfigLoader({
        extends: ['html-validate:standard'],
        rules: { 'no-inline-style': 'off', 'long-title': 'off' },
      }),
    );
    for (const pad of [join(dir, 'hostile.ts'), join(examples, 'tolls/tolls.ts'), join(examples, 'ledger/ledger.ts')]) {
      const { stdout } = cli(['export', pad, '--out', '-'], { cwd: dir });
      expect(stdout).not.toMatch(/<script|<img(?! alt="" width="\d+" src="data:image\/bmp;base64,[\w+/=]*">)/i);
      const report = await validator.validateString(stdout, 'page.html');
      expect(
        report.results.flatMap((one) =>
          one.messages.map((message) => `${message.line}: ${message.ruleId} ${message.message}`),
        ),
      ).toEqual([]);
    }
  });

  test('SVG is well-formed, Markdown keeps its fences, JSON its format; a file is written where none is named', () => {
    const svg = cli(['export', 'hostile.ts', '--format', 'svg', '--out', '-'], { cwd: dir }).stdout;
    expect(svg).not.toContain('<script');
    const fenced = cli(['export', 'hostile.ts', '--format', 'md', '--out', '-'], { cwd: dir }).stdout;
    expect(fenced.split('\n').filter((line) => line.startsWith('```')).length % 2).toBe(0);
    expect(
      JSON.parse(cli(['export', 'hostile.ts', '--format', 'json', '--out', '-'], { cwd: dir }).stdout),
    ).toMatchObject({ format: 'usher-anvil/record@1' });
    expect(cli(['export', 'hostile.ts'], { cwd: dir }).stdout).toMatch(/^hostile\.html {2}\d/);
    expect(existsSync(join(dir, 'hostile.html'))).toBe(true);
  });

  test('a PNG is drawn by Chromium, and where there is none that is said', () => {
    const made = cli(['export', 'hostile.ts', '--format', 'png'], { cwd: dir });
    expect(made.code).toBe(0);
    expect(readFileSync(join(dir, 'hostile.png')).subarray(1, 4).toString()).toBe('PNG');
    mkdirSync(join(dir, 'empty'), { recursive: true });
    const none = cli(['export', 'hostile.ts', '--format', 'png'], {
      cwd: dir,
      env: { PATH: join(dir, 'empty'), CHROMIUM: '' },
    });
    expect([none.code, none.stderr]).toEqual([2, expect.stringContaining('E_NO_BROWSER')]);
  });

  test('what is asked for wrongly is told', () => {
    expect(cli(['export', 'hostile.ts', '--format', 'pdf'], { cwd: dir }).stderr).toContain(
      '--format is "pdf". It is one of html, md, svg, png, json.',
    );
    expect(cli(['export', 'hostile.ts', '--out', 'no/such/folder/x.html'], { cwd: dir }).stderr).toContain('E_WRITE');
  });
});

test('types are told beside the run, and never stop it', () => {
  const dir = folder({
    'types.ts': `import { readFileSync } from 'node:fs';\nimport { dial } from 'usher-anvil/pad';\nconst rise: string = 4.2;\nconst n: number = dial('n', 1, { min: 0, max: 2 });\nrise;\nreadFileSync.name;\n`,
  });
  const { stdout, code } = cli(['run', 'types.ts', '--types'], { cwd: dir });
  expect(code).toBe(0);
  expect(stdout).toContain("Types 1\n~ types.ts:3  Type 'number' is not assignable to type 'string'. TS2322");
  expect(cli(['run', 'types.ts'], { cwd: dir }).stdout).not.toContain('Types');
  // Nothing about what a pad leaves open: a module without an import, parameters without types, what may be null.
  const loose = folder({
    'loose.ts': `const level = await Promise.resolve(4);\nconst rise = (x, by = 1) => x + by;\nrise(level);\n[level].find((one) => one > 3).toFixed(1);\n`,
  });
  expect(cli(['run', 'loose.ts', '--types'], { cwd: loose }).stdout).toContain('no objections');
  // The project's own settings count.
  writeFileSync(join(loose, 'tsconfig.json'), '{ "compilerOptions": { "strict": true } }');
  expect(cli(['run', 'loose.ts', '--types'], { cwd: loose }).stdout).toMatch(/'x' implicitly has an 'any' type/);
});
