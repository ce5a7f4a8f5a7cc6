/** A page reads before it runs, where it has run in a window as it is now. */
import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { startServer } from '#dist/server/server.js';
import { launch } from './browser.js';
import { cli, eventually, folder } from './harness.js';
import { margin, openPublished } from './publishing.js';

const LOCK = `<!doctype html>
<p id="level"></p>
<script src="./rise.js"></script>
<script>
const level = half(rise)
document.querySelector('#level').textContent = level + ' m'
console.log('level', level)
</script>
`;

test('the last run of a page comes along from a window, and none of a text that has changed since', async () => {
  const dir = folder({ 'site/lock.html': LOCK, 'site/rise.js': 'const rise = 8\nconst half = (all) => all / 2\n' });
  const env = { XDG_STATE_HOME: join(dir, 'home') };
  const state = join(dir, 'home/usher-anvil');
  const publish = (): string => {
    const { code, stdout, stderr } = cli(['publish', 'site/lock.html', '--out', 'out.html'], { cwd: dir, env });
    expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
    return stdout;
  };
  expect(publish()).toContain('lock.html has not run in a window as it is now');
  const browser = await launch();
  try {
    const server = await startServer({ root: dir, pad: join(dir, 'site/lock.html'), state, types: false });
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(server.url);
    await margin(page, 'const level').filter({ hasText: '4' }).waitFor();
    await eventually(() => existsSync(join(state, 'last-runs')) && readdirSync(join(state, 'last-runs')).length > 0);
    await page.close();
    await server.close();
    expect(publish()).not.toContain('has not run in a window');
    const read = await openPublished(browser, pathToFileURL(join(dir, 'out.html')).href);
    await margin(read, 'const level').filter({ hasText: '4' }).waitFor();
    await read.getByText('Nothing of this pad has run here.').waitFor();
    await read.getByRole('button', { name: 'Run it' }).click();
    await read.getByText('Nothing of this pad has run here.').waitFor({ state: 'detached' });
    await margin(read, 'const level').filter({ hasText: '4' }).waitFor();
    await read.close();
  } finally {
    await browser.close();
  }
  writeFileSync(join(dir, 'site/rise.js'), 'const rise = 9\nconst half = (all) => all / 2\n');
  expect(publish()).toContain('lock.html has not run in a window as it is now');
});
