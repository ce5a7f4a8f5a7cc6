/** Data files of live programs: a save of one is taken by the objects that the program has of it. */
import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { launch } from './browser.js';
import { eventually, folder, root, start } from './harness.js';

const running: { end(): Promise<void> }[] = [];
afterEach(async () => {
  await Promise.all(running.splice(0).map((one) => one.end()));
});

const RATES = { rate: 4, piers: [{ depth: 2 }, { depth: 3 }], open: true };

function live(files: Record<string, string>, command: string[] = ['server.js']) {
  const dir = folder({ 'rates.json': JSON.stringify(RATES), ...files });
  mkdirSync(join(dir, 'node_modules'), { recursive: true });
  symlinkSync(join(root, 'node_modules/vite'), join(dir, 'node_modules/vite'));
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const program = start(['live', ...command], { cwd: dir, env });
  running.push(program);
  const save = (name: string, data: unknown): void =>
    writeFileSync(join(dir, name), typeof data === 'string' ? data : JSON.stringify(data));
  return { dir, program, save };
}

const TICK =
  "let n = 0\nsetInterval(() => { n++; console.log('at', n, rates.rate, pier.depth, double, rates.piers.length) }, 60)\n";

test.each([
  ['an ES module', '{ "type": "module" }', "import rates from './rates.json' with { type: 'json' }\n", ['server.js']],
  ['a script', '{}', "const rates = require('./rates.json')\n", ['server.js']],
  ['a command', '{}', "const rates = require('./rates.json')\n", ['--', 'node', 'server.js']],
])('%s goes on with what it holds, and computes anew', async (_what, manifest, first, command) => {
  const text = `${first}const pier = rates.piers[1]\nconst double = rates.rate * 2\n${TICK}`;
  const { program, save } = live({ 'package.json': manifest, 'server.js': text }, command);
  await program.until(/at \d+ 4 3 8 2/);
  save('rates.json', { ...RATES, rate: 5, piers: [{ depth: 2 }, { depth: 7 }, { depth: 1 }] });
  await program.until(/rates\.json {2}rate, piers\[1\]\.depth, piers\[2\] taken in place/);
  await program.until(/server\.js {2}pier, double assigned/);
  const [, count] = /at (\d+) 5 7 10 3/.exec(await program.until(/at \d+ 5 7 10 3/))!;
  expect(Number(count)).toBeGreaterThan(1);

  save('rates.json', '{ "rate": }');
  await program.until(/rates\.json {2}syntax error, nothing changed/);
  save('rates.json', { ...RATES, rate: 6 });
  await program.until(/at \d+ 6 3 12 2/);
});

test('what parts were taken from takes a restart, and that is said', async () => {
  const { program, save } = live({
    'package.json': '{}',
    'server.js': "const { rate } = require('./rates.json')\nsetInterval(() => console.log('at', rate), 60)\n",
  });
  await program.until(/at 4/);
  save('rates.json', { ...RATES, rate: 5 });
  await program.until(
    /rates\.json {2}nothing changed: it takes a restart\n.*server\.js: parts of it were taken into rate/,
  );
});

test('a page takes it without being loaded anew, and is told of by what the server does with the rest', async () => {
  const { program, save, dir } = live(
    {
      'package.json': '{ "type": "module" }',
      'index.html': '<output></output><button>tick</button><script type="module" src="/main.js"></script>',
      'shown.css': 'output { color: teal }',
      'main.js':
        "import rates, { open } from './rates.json'\nimport './shown.css'\nlet n = 0\n" +
        "document.querySelector('button').onclick = () => {\n  n++\n" +
        "  document.querySelector('output').textContent = `at ${n} ${rates.rate} ${open}`\n}\n",
    },
    ['--', 'node', join(root, 'node_modules/vite/bin/vite.js'), '--port', '0', '--host', '127.0.0.1'],
  );
  const url = await program.until(/http:\/\/127\.0\.0\.1:\d+\//);
  const browser = await launch();
  try {
    const page = await browser.newPage();
    await page.goto(url);
    const button = page.getByRole('button');
    const shown = page.locator('output');
    await eventually(async () => {
      await button.click();
      return (await shown.innerText()).endsWith('4 true');
    });
    const before = Number(/\d+/.exec(await shown.innerText())![0]);
    save('rates.json', { ...RATES, rate: 5 });
    await program.until(/rates\.json {2}rate taken in place/);
    await button.click();
    expect(await shown.innerText()).toBe(`at ${before + 1} 5 true`);

    writeFileSync(join(dir, 'shown.css'), 'output { color: navy }');
    await program.until(/shown\.css {2}styles are replaced, the page goes on/);

    // A value that is imported by name cannot follow: the page begins anew, and the line says why.
    save('rates.json', { ...RATES, rate: 5, open: false });
    await program.until(/rates\.json {2}begun anew, to read it\n.*open is imported by name/);
    await eventually(async () => {
      await button.click();
      return /^at \d+ 5 false$/.test(await shown.innerText());
    });
    expect(Number(/\d+/.exec(await shown.innerText())![0])).toBeLessThan(before + 1);
    writeFileSync(
      join(dir, 'index.html'),
      '<output></output><button>tock</button><script type="module" src="/main.js"></script>',
    );
    await program.until(/index\.html {2}the page is loaded anew/);
    await page.getByText('tock').waitFor();
  } finally {
    await browser.close();
  }
});
