/** The server's side of a project: what a development server's module runner executes is live, beside its pages. */
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { launch } from './browser.js';
import { eventually, folder, root, start, targetWith } from './harness.js';

const FILES = {
  'package.json': '{ "name": "locks", "type": "module" }',
  'server.js': `import { createServer as createHttp } from 'node:http'
import { createServer } from 'vite'

const server = createHttp()
const vite = await createServer({ server: { middlewareMode: true, hmr: { server } }, appType: 'custom' })
server.on('request', (request, response) => vite.middlewares(request, response, async () => {
  try {
    if (request.url === '/page') {
      response.setHeader('content-type', 'text/html')
      response.end(await vite.transformIndexHtml('/page', '<button>ask</button><output></output><script type="module" src="/src/page.js"></script>'))
      return
    }
    const { render } = await vite.ssrLoadModule('/src/render.ts')
    response.end(render(request.url))
  } catch (error) {
    vite.ssrFixStacktrace(error)
    response.statusCode = 500
    response.end(error.stack)
  }
}))
server.listen(0, '127.0.0.1', () => console.log('listening', server.address().port))
`,
  'src/page.js': `import { inCm } from './units.js'

document.querySelector('button').onclick = async () => {
  console.log('asked', inCm(1))
  document.querySelector('output').textContent = await (await fetch('/weir')).text()
}
`,
  'src/units.js': 'export const inCm = (depth) => depth * 100\n',
  'src/render.ts': `import { inCm } from './units.js'
import * as path from 'node:path'

interface Visit {
  url: string
}

const visits: Visit[] = []

export function render(url: string): string {
  visits.push({ url })
  const cm = inCm(visits.length)
  console.log('drawn', cm)
  if (url === '/deep') throw new Error('too deep')
  return \`\${path.basename(url)} \${cm}\`
}
`,
};

const running: { end(): Promise<void> }[] = [];
afterEach(async () => {
  await Promise.all(running.splice(0).map((one) => one.end()));
});

async function project() {
  const dir = folder(FILES);
  mkdirSync(join(dir, 'node_modules'));
  symlinkSync(join(root, 'node_modules/vite'), join(dir, 'node_modules/vite'));
  const env = { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() };
  const live = start(['live', '--', 'node', 'server.js'], { cwd: dir, env });
  running.push(live);
  const port = /\d+/.exec(await live.until(/listening \d+/))![0];
  const url = `http://127.0.0.1:${port}`;
  const get = async (path: string) => {
    const answer = await fetch(`${url}${path}`);
    return `${answer.status} ${await answer.text()}`;
  };
  const edit = (file: string, from: string, to: string): void => {
    const path = join(dir, file);
    const text = readFileSync(path, 'utf8');
    expect(text).toContain(from);
    writeFileSync(path, text.replace(from, to));
  };
  return { dir, env, live, url, get, edit };
}

test('is patched in place, with what it imports and what it holds', async () => {
  const { live, get, edit } = await project();
  expect(await get('/lock')).toBe('200 lock 100');
  expect(await get('/lock')).toBe('200 lock 200');

  edit('src/render.ts', '${path.basename(url)} ${cm}', 'the ${path.basename(url)} ${inCm(1)} ${cm}');
  await live.until(/src\/render\.ts {2}render patched/);
  expect(await get('/lock')).toBe('200 the lock 100 300');

  edit('src/units.js', 'depth * 100', 'depth * 10');
  await live.until(/src\/units\.js {2}inCm patched/);
  expect(await get('/lock')).toBe('200 the lock 10 40');

  // A name that the other module exports only now, and a module that nothing has imported yet.
  edit('src/units.js', 'export const', 'export const unit = "dm"\nexport const');
  await live.until(/src\/units\.js {2}.*unit/);
  edit(
    'src/render.ts',
    "import { inCm } from './units.js'",
    "import { inCm, unit } from './units.js'\nimport os from 'node:os'",
  );
  edit('src/render.ts', '${inCm(1)} ${cm}', '${cm} ${unit} ${typeof os.cpus}');
  await eventually(async () => (await get('/lock')).endsWith('dm function'));

  // What does not parse changes nothing, and is said.
  edit('src/units.js', 'depth * 10', 'depth +* 10');
  await live.until(/src\/units\.js {2}syntax error, nothing changed\n {4}line 2/);
  expect(await get('/lock')).toMatch(/^200 the lock \d+ dm function$/);
  edit('src/units.js', 'depth +* 10', 'depth * 100');
  await eventually(async () => /^200 the lock \d+00 dm function$/.test(await get('/lock')));
});

test('its values stand at the lines, and its errors name their place', async () => {
  const { dir, env, get } = await project();
  expect(await get('/deep')).toMatch(/^500 Error: too deep\n {4}at render \(\S+\/src\/render\.ts:14:\d+\)/);
  const name = await targetWith('render.ts', env);
  const watch = start(['watch', name, '--in', 'src/render.ts', '--look', 'render'], { cwd: dir, env });
  running.push(watch);
  await eventually(async () => {
    await get('/weir');
    await new Promise((resolve) => setTimeout(resolve, 200));
    return /const cm = inCm\(visits\.length\) │ .*\d00/.test(watch.text);
  });
  expect(watch.text).toMatch(/live · server {2}values of render/);
  expect(watch.text).toMatch(/Console \d+\n +13 {3}drawn \d00/);
});

test('both sides of one request stand in one stream, and a file of both is patched in both', async () => {
  const { dir, env, live, get, edit, url } = await project();
  await get('/lock');
  const browser = await launch();
  try {
    const page = await browser.newPage();
    await page.goto(`${url}/page`);
    const name = await targetWith('render.ts', env);
    const workbench = start(['open', name], { cwd: dir, env });
    running.push(workbench);
    const bench = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await bench.goto(await workbench.until(/http:\S+/));
    await bench.getByLabel('File', { exact: true }).selectOption('src/units.js');
    await bench.locator('.cm-line', { hasText: 'export const inCm' }).waitFor();
    const rows = () => bench.locator('footer .row').allInnerTexts();
    await eventually(async () => {
      await page.getByRole('button').click();
      await bench.waitForTimeout(300);
      return (await rows()).length >= 4;
    });
    const said = (await rows()).map((row) => row.replace(/\s+/g, ' '));
    const asked = said.findIndex((row) => /src\/page\.js:4 page \d+ .*asked 100/.test(row));
    expect(said[asked + 1]).toMatch(/src\/render\.ts:13 server .*drawn \d00/);
    // Counts of both sides are added up.
    expect(await bench.locator('.cm-line', { hasText: 'export const inCm' }).innerText()).toMatch(/×\d+/);

    edit('src/units.js', 'depth * 100', 'depth * 7');
    await live.until(/src\/units\.js {2}inCm patched/);
    await page.getByRole('button').click();
    await eventually(async () => (await rows()).some((row) => row.includes('asked 7')));
    await eventually(async () => /^weir \d+$/.test(await page.locator('output').innerText()));
    expect(Number(/\d+/.exec(await page.locator('output').innerText())![0]) % 7).toBe(0);
  } finally {
    await browser.close();
  }
});
