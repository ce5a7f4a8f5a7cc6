// Projects of others, untouched: run plain and under us, compared, edited while they run. `npm run zoo -- --only=react`
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { launchChromium } from '../scripts/chromium.mjs';
import { Checks, command, env, freshState, live, LOCAL, made, targetsIn } from './common.mjs';
import { FRAMEWORKS } from './frameworks.mjs';
import { PAGES, RENDERED, SERVERS } from './projects.mjs';
import { renderedProject } from './rendered.mjs';
import { started, until } from './started.mjs';

const only = process.argv
  .find((one) => one.startsWith('--only='))
  ?.slice(7)
  .split(',');

async function pageProject(project, browser) {
  const checks = new Checks();
  const dir = made(project);
  const state = freshState(project.name);
  const file = join(dir, project.file);
  const source = readFileSync(file, 'utf8');
  const visit = async (url) => {
    const page = await browser.newPage();
    const wrong = [];
    page.on('pageerror', (error) => wrong.push(error.message));
    await page.goto(url);
    await page.locator('button').first().waitFor({ timeout: 20_000 });
    return { page, wrong, text: () => page.evaluate(() => document.body.innerText) };
  };
  const plain = started('npm', ['run', 'dev'], { cwd: dir, env: env(state), detached: true });
  const first = await visit((await plain.until(LOCAL))[0]);
  const asPlain = await first.text();
  await first.page.close();
  await plain.end(true);
  const ours = live(dir, state);
  try {
    const seen = await visit((await ours.until(LOCAL))[0]);
    const { page } = seen;
    const button = page.locator('button').first();
    await checks.check('drawn the same', async () => (await seen.text()) === asPlain && seen.wrong.length === 0);
    const target = (await until(() => targetsIn(state)[0])).name;
    const watch = started(
      process.execPath,
      [command, 'watch', target, '--in', project.file, ...(project.look ? ['--look', project.look] : [])],
      { cwd: dir, env: env(state) },
    );
    await new Promise((resolve) => setTimeout(resolve, 2_500));
    if (project.anew) {
      await page.reload();
      await button.waitFor();
    }
    for (let i = 0; i < 3; i++) {
      await button.click();
      await page.waitForTimeout(250);
    }
    await checks.check('counts and values', async () => {
      if (!project.value) return false;
      await watch.until(project.value, 10_000);
      return true;
    });
    await watch.end();
    const before = await button.innerText();
    await checks.check('an edit', async () => {
      const from = ours.text.length;
      writeFileSync(file, source.replace(project.edit.from, project.edit.to));
      const [said] = await ours.until(/.*(?:patched|handed|taken|assigned|added|reloaded).*/, 10_000, from);
      await page.waitForTimeout(800);
      const after = await button.innerText();
      return `${said.includes('handed') ? 'the library’s refresh' : 'in place'}, ${after === before ? 'state kept' : 'state begins anew'}`;
    });
    await checks.check('a typo, mended', async () => {
      writeFileSync(file, source.replace(project.edit.from, `${project.edit.from} +* `));
      await page.waitForTimeout(1_200);
      writeFileSync(file, source);
      await page.waitForTimeout(1_500);
      await button.click();
      return /\d/.test(await button.innerText());
    });
    await page.close();
  } finally {
    writeFileSync(file, source);
    await ours.end();
  }
  return checks.results;
}

async function serverProject(project) {
  const checks = new Checks();
  const dir = made(project);
  const state = freshState(project.name);
  const file = join(dir, project.toll ?? 'toll.js');
  const source = readFileSync(file, 'utf8');
  const ask = async (port, length) => {
    const answer = await fetch(`http://127.0.0.1:${port}/${length}`);
    return `${answer.status} ${await answer.text()}`;
  };
  const plain = started('npm', ['run', 'dev'], { cwd: dir, env: env(state), detached: true });
  const [, plainPort] = await plain.until(/listening (\d+)/);
  const asPlain = [await ask(plainPort, 10), await ask(plainPort, 50)];
  await plain.end(true);
  const ours = live(dir, state);
  try {
    const [, port] = await ours.until(/listening (\d+)/);
    await checks.check('answers the same', async () => {
      const answers = [await ask(port, 10), await ask(port, 50)];
      return answers.every((one, i) => one === asPlain[i]) || Promise.reject(new Error(answers.join(' / ')));
    });
    const target = (
      await until(() => targetsIn(state).find(({ files }) => files.some((one) => one.endsWith('toll.js'))))
    ).name;
    const watch = started(process.execPath, [command, 'watch', target, '--in', 'toll.js', '--look', 'toll'], {
      cwd: dir,
      env: env(state),
    });
    await checks.check('counts and values', async () => {
      for (let i = 0; i < 20 && !/due = .* 40/.test(watch.text); i++) {
        await ask(port, 10);
        await new Promise((resolve) => setTimeout(resolve, 300));
      }
      return /due = .* 40/.test(watch.text);
    });
    await watch.end();
    const saved = async (text, said, answer) => {
      const from = ours.text.length;
      writeFileSync(file, text);
      await ours.until(said, 10_000, from);
      return (await ask(port, 10)) === answer;
    };
    await checks.check('an edit', () =>
      saved(source.replace('length * RATE', 'length * RATE + 1'), /toll patched/, '200 41'),
    );
    await checks.check('a typo, mended', async () => {
      if (!(await saved(source.replace('length * RATE', 'length * RATE +* 1'), /nothing changed/, '200 41')))
        return false;
      return saved(source, /toll patched/, '200 40');
    });
    await checks.check('state', () =>
      saved(
        source
          .replace('const RATE = 4', 'const RATE = 5')
          .replace('return due', 'return rounded(due)')
          .replace('function toll', 'function rounded (x) {\n  return Math.round(x)\n}\nfunction toll'),
        /rounded.*added|added.*rounded|patched/,
        '200 50',
      ),
    );
  } finally {
    writeFileSync(file, source);
    await ours.end();
  }
  return checks.results;
}

const browser = await launchChromium();
const rows = [];
let failed = 0;
for (const project of [...PAGES, ...RENDERED, ...FRAMEWORKS, ...SERVERS]) {
  if (only && !only.some((one) => project.name === one || project.name.startsWith(`${one},`))) continue;
  let results;
  try {
    const kinds = { page: pageProject, rendered: renderedProject, server: serverProject };
    results = await kinds[project.kind](project, browser);
  } catch (error) {
    results = [{ what: 'started', ok: false, why: error.message.split('\n')[0].slice(0, 200) }];
  }
  failed += results.some(({ ok }) => !ok) ? 1 : 0;
  const works = results.filter(({ ok }) => ok).map(({ what, why }) => (why ? `${what} (${why})` : what));
  const not = results.filter(({ ok }) => !ok).map(({ what, why }) => (why ? `${what}: ${why}` : what));
  rows.push(`| ${project.name} | ${works.join(', ')} | ${not.join('; ')} |`);
  console.log(rows[rows.length - 1]);
}
await browser.close();
console.log(`\n| project | what works | what does not |\n|---|---|---|\n${rows.join('\n')}`);
console.log(`\n${rows.length} projects, ${rows.length - failed} in all that is checked.`);
process.exit(0);
