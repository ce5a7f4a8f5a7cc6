// Pages that a server draws with the development server's module runner.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Checks, command, env, freshState, live, made, targetsIn } from './common.mjs';
import { started, until } from './started.mjs';

const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
let port = 5600 + Math.floor(Math.random() * 300);

export async function renderedProject(project) {
  const checks = new Checks();
  const dir = made(project);
  const state = freshState(project.name);
  const file = join(dir, project.file);
  const source = readFileSync(file, 'utf8');
  const ask = async (at) => {
    const answer = await fetch(`http://localhost:${at}/`);
    const text = (await answer.text()).replace(/\?t=\d+/g, '');
    return `${answer.status} ${project.drawn?.exec(text)?.[0] ?? text}`;
  };
  process.env.PORT = String(++port);
  const plain = started('npm', ['run', 'dev'], { cwd: dir, env: env(state), detached: true });
  await plain.until(/localhost:\d+/);
  const asPlain = await ask(port);
  await plain.end(true);
  process.env.PORT = String(++port);
  const ours = live(dir, state);
  try {
    await ours.until(/localhost:\d+/);
    await checks.check('drawn the same', async () => (await ask(port)) === asPlain);
    const target = (
      await until(() => targetsIn(state).find(({ files }) => files.some((one) => one.endsWith(project.file))))
    ).name;
    const watch = started(process.execPath, [command, 'watch', target, '--in', project.file, '--look', project.look], {
      cwd: dir,
      env: env(state),
    });
    await checks.check('counts and values', async () => {
      for (let i = 0; i < 30 && !project.value.test(watch.text); i++) {
        await ask(port);
        await wait(300);
      }
      return project.value.test(watch.text) || Promise.reject(new Error(watch.text.slice(-200)));
    });
    await watch.end();
    await checks.check('an edit', async () => {
      const from = ours.text.length;
      writeFileSync(file, source.replace(project.edit.from, project.edit.to));
      const [said] = await ours.until(/.*(?:patched|with the next request|assigned).*/, 10_000, from);
      await wait(300);
      const after = await ask(port);
      if (!project.edit.seen.test(after)) throw new Error('not drawn');
      return said.includes('patched') ? 'in place' : 'executed anew with the next request';
    });
    await checks.check('a typo, mended', async () => {
      writeFileSync(file, source.replace(project.edit.from, `${project.edit.from} +* `));
      await wait(1_000);
      await ask(port);
      writeFileSync(file, source);
      await wait(1_000);
      return (await ask(port)) === asPlain;
    });
  } finally {
    writeFileSync(file, source);
    await ours.end();
  }
  return checks.results;
}
