/** A component of a project as a template makes it: nothing in it names us, and one command starts it. */
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { launch } from './browser.js';
import { cli, eventually, folder, root, start } from './harness.js';

let browser: Browser;
beforeAll(async () => {
  browser = await launch();
});
afterAll(async () => {
  await browser.close();
});

const FILES = {
  'package.json': '{ "name": "locks", "type": "module", "scripts": { "dev": "vite" } }',
  'vite.config.js': "import react from '@vitejs/plugin-react'\nexport default { plugins: [react()] }\n",
  'index.html': '<div id="root"></div><script type="module" src="/src/main.jsx"></script>',
  'src/main.jsx': `import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { Lock } from './Lock.tsx'

createRoot(document.getElementById('root')).render(<StrictMode><Lock name="Wenlow" /></StrictMode>)
`,
  'src/units.js': 'export const inCm = (depth) => depth * 100\n',
  'src/Lock.tsx': `import { useState } from 'react'
import { inCm } from './units.js'

interface LockProps {
  name: string
}

export function Lock({ name }: LockProps) {
  const [depth, setDepth] = useState(1)
  const cm = inCm(depth)

  return (
    <button onClick={() => setDepth(depth + 1)}>
      {name} {cm} cm
    </button>
  )
}
`,
};

function project(): { dir: string; env: Record<string, string> } {
  const dir = folder(FILES);
  mkdirSync(join(dir, 'node_modules/@vitejs'), { recursive: true });
  for (const name of ['vite', 'react', 'react-dom', '@vitejs/plugin-react'])
    symlinkSync(join(root, 'node_modules', name), join(dir, 'node_modules', name));
  return { dir, env: { USHER_ANVIL_TARGETS: join(folder(), 'targets'), XDG_STATE_HOME: folder() } };
}

test('counts, values and console stand at the lines as written; a save keeps the state', async () => {
  const { dir, env } = project();
  const vite = join(dir, 'node_modules/vite/bin/vite.js');
  const live = start(['live', '--', 'node', vite, '--port', '0', '--host', '127.0.0.1'], { cwd: dir, env });
  const url = await live.until(/http:\/\/127\.0\.0\.1:\d+\//);
  const page = await browser.newPage();
  const complaints: string[] = [];
  page.on('pageerror', (error) => complaints.push(error.message));
  await page.goto(url);
  const button = page.getByRole('button');
  await button.filter({ hasText: 'Wenlow 100 cm' }).waitFor();

  const name = await eventually(() => {
    const { targets } = JSON.parse(cli(['targets', '--json'], { env }).stdout) as {
      targets: { name: string; files: string[] }[];
    };
    return targets.find(({ files }) => files.length === 3)?.name;
  });
  const workbench = start(['open', name], { env });
  const bench = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await bench.goto(await workbench.until(/http:\S+/));
  await bench.getByLabel('File', { exact: true }).selectOption('src/Lock.tsx');
  const line = (text: string) => bench.locator('.cm-line', { hasText: text });
  // Looks at the component, and what it gives from its next call on.
  await line('const cm').click();
  await bench.keyboard.press('Control+i');
  await eventually(async () => {
    await button.click();
    await bench.waitForTimeout(300);
    return (await line('const cm').locator('.margin').count()) > 0;
  });
  const depth = /\d+/.exec(await button.innerText())![0];
  await line('const cm').locator('.margin', { hasText: depth }).waitFor();
  await line('useState(1)')
    .locator('.margin', { hasText: `depth ${Number(depth) / 100}` })
    .waitFor();
  // In strict mode it is called twice, and that is what stands there.
  const calls = await line('export function Lock').locator('.margin').innerText();
  expect(Number(/×(\d+)/.exec(calls)![1]) % 2).toBe(0);

  const text = readFileSync(join(dir, 'src/Lock.tsx'), 'utf8');
  writeFileSync(
    join(dir, 'src/Lock.tsx'),
    text.replace('inCm(depth)\n', "inCm(depth) / 10\n  console.log('now', cm)\n"),
  );
  await live.until(/src\/Lock\.tsx {2}handed to the refresh of its library/);
  await button.filter({ hasText: `Wenlow ${Number(depth) / 10} cm` }).waitFor();
  await button.click();
  await bench
    .locator('footer')
    .getByText(`now ${Number(depth) / 10 + 10}`)
    .first()
    .waitFor();

  // A module that it uses is patched in place, and it is drawn again with what it holds.
  const state = Number(depth) / 100 + 1;
  writeFileSync(join(dir, 'src/units.js'), FILES['src/units.js'].replace('100', '1000'));
  await live.until(/src\/units\.js {2}inCm patched · one component drawn again/);
  await button.filter({ hasText: `Wenlow ${state * 100} cm` }).waitFor();
  expect(complaints).toEqual([]);
  await page.close();
  await bench.close();
  workbench.child.kill('SIGTERM');
  live.child.kill('SIGTERM');
  await Promise.all([workbench.exited, live.exited]);
});
