/**
 * `npm run suites:frameworks`: test files of published packages, each run by the project's own framework and as a pad.
 * Names, outcomes and what failures say have to be the same. `--only=a,b` chooses packages, `--show` prints differences.
 */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { projects } from './framework-list.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const cli = join(root, 'dist/bin/main.js');
const option = (name) => process.argv.find((one) => one.startsWith(`--${name}=`))?.slice(name.length + 3);
const only = option('only')?.split(',');
const work = option('folder') ?? join(tmpdir(), 'usher-anvil-frameworks');
const LIMIT_MS = 60_000;

function npm(cwd, ...args) {
  const { status, stderr } = spawnSync(
    'npm',
    [...args, '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error', '--legacy-peer-deps'],
    { cwd, encoding: 'utf8' },
  );
  if (status !== 0) throw new Error(`npm ${args.join(' ')}: ${stderr.slice(0, 400)}`);
}

/** A project that holds a package as its archive has it, with the framework that its tests are written for. */
function made({ name, version, framework, script, needs = {}, files = {} }) {
  const dir = join(work, name.replace(/\W+/g, '-'));
  if (existsSync(join(dir, '.ready'))) return dir;
  rmSync(dir, { recursive: true, force: true });
  const store = join(work, 'archives');
  mkdirSync(store, { recursive: true });
  if (!existsSync(join(store, 'package.json'))) writeFileSync(join(store, 'package.json'), '{ "private": true }');
  npm(store, 'install', `${name}@${version}`, '--no-save');
  cpSync(join(store, 'node_modules', name), dir, { recursive: true, filter: (path) => !/node_modules$/.test(path) });
  const path = join(dir, 'package.json');
  const {
    dependencies = {},
    type,
    exports,
    main,
    module,
    imports,
    jest,
    mocha,
  } = JSON.parse(readFileSync(path, 'utf8'));
  // Settings that the list gives stand for those of the package.
  const settings = Object.keys(files).some((file) => file.startsWith('jest.config')) ? {} : { jest };
  const manifest = { name, private: true, type, exports, main, module, imports, mocha, ...settings };
  const scripts = { test: script ?? framework.name };
  const own = { [framework.name]: framework.version, ...needs };
  writeFileSync(path, JSON.stringify({ ...manifest, scripts, dependencies, devDependencies: own }, null, 2));
  for (const [file, text] of Object.entries(files)) writeFileSync(join(dir, file), text);
  npm(dir, 'install');
  writeFileSync(join(dir, '.ready'), '');
  return dir;
}

function filesIn(dir, { tests, skip = [], most = Infinity }) {
  const found = [];
  const visit = (path) => {
    if (statSync(path).isFile()) found.push(path);
    else for (const one of readdirSync(path).sort()) visit(join(path, one));
  };
  for (const one of [tests].flat()) visit(join(dir, one));
  return found
    .map((path) => relative(dir, path))
    .filter((file) => /\.[cm]?[jt]sx?$/.test(file) && !/\.d\.ts$/.test(file) && !skip.some((one) => file.includes(one)))
    .slice(0, most);
}

function output(command, args, cwd) {
  return new Promise((resolve) => {
    const child = spawn(command, args, {
      cwd,
      env: { ...process.env, NO_COLOR: '1', FORCE_COLOR: '0', NODE_OPTIONS: '', CI: '' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let [text, errors] = ['', ''];
    child.stdout.on('data', (data) => (text += data));
    child.stderr.on('data', (data) => (errors += data));
    const limit = setTimeout(() => child.kill('SIGKILL'), LIMIT_MS);
    child.once('close', () => {
      clearTimeout(limit);
      resolve({ text, errors });
    });
  });
}

const binOf = (dir, name) => {
  const path = join(dir, 'node_modules', name, 'package.json');
  const { bin } = JSON.parse(readFileSync(path, 'utf8'));
  return join(dirname(path), typeof bin === 'string' ? bin : (bin[name] ?? Object.values(bin)[0]));
};

const firstLine = (text = '') =>
  text
    .replace(/\u001b\[[\d;]*m/g, '')
    .split('\n')[0]
    .replace(/^(?:(?:[A-Z]\w*)?Error(?: \[\w+\])?: )?(?:thrown: ")?/, '')
    .trim();

/** What the framework itself says: `[full name, outcome, first line of what it says]`. */
const THEIRS = {
  async jest(dir, file, args = []) {
    const { text, errors } = await output(
      process.execPath,
      [binOf(dir, 'jest'), '--json', '--ci=false', '--runTestsByPath', file, ...args],
      dir,
    );
    const [result] = parsed(text, errors).testResults;
    if (result.assertionResults.length === 0 && result.message)
      throw new Error(firstLine(result.message.split('\n').find((line) => /\w+Error/.test(line)) ?? result.message));
    return result.assertionResults.map(({ ancestorTitles, title, status, failureMessages }) => [
      [...ancestorTitles, title].join(' > '),
      { passed: 'passed', failed: 'failed', pending: 'skipped', todo: 'todo' }[status] ?? status,
      firstLine(failureMessages[0]),
    ]);
  },
  async vitest(dir, file, args = []) {
    const { text, errors } = await output(
      process.execPath,
      [binOf(dir, 'vitest'), 'run', '--reporter=json', file, ...args],
      dir,
    );
    const { testResults } = parsed(text, errors);
    const own = testResults.filter(({ name }) => name === join(dir, file));
    return own.flatMap(({ assertionResults }) =>
      assertionResults.map(({ ancestorTitles, title, status, failureMessages }) => [
        [...ancestorTitles, title].join(' > '),
        { passed: 'passed', failed: 'failed', pending: 'skipped', skipped: 'skipped', todo: 'todo' }[status] ?? status,
        firstLine(failureMessages?.[0]),
      ]),
    );
  },
  async mocha(dir, file, args = []) {
    const script = join(work, 'mocha-results.cjs');
    writeFileSync(
      script,
      `module.exports = function (runner) {
  const list = []
  const path = (one) => { const names = []; for (let at = one; at && !at.root; at = at.parent) names.unshift(at.title); return names.join(' > ') }
  runner.on('pass', (one) => list.push([path(one), 'passed', '']))
  runner.on('pending', (one) => list.push([path(one), 'skipped', '']))
  runner.on('fail', (one, error) => list.push([path(one), 'failed', String(error && error.message)]))
  runner.on('end', () => console.log('\\nRESULTS' + JSON.stringify(list)))
}`,
    );
    const { text, errors } = await output(
      process.execPath,
      [binOf(dir, 'mocha'), '--reporter', script, file, ...args],
      dir,
    );
    const at = text.lastIndexOf('RESULTS');
    if (at < 0) throw new Error(firstLine(errors || text));
    return JSON.parse(text.slice(at + 7).split('\n')[0]).map(([name, how, message]) => [name, how, firstLine(message)]);
  },
  async jasmine(dir, file, args = []) {
    const script = join(work, 'jasmine-results.cjs');
    writeFileSync(
      script,
      `const names = []
const list = []
module.exports = { default: class { suiteStarted (r) { names.push(r.description) } suiteDone () { names.pop() }
  specDone (r) { list.push([[...names, r.description].join(' > '), { passed: 'passed', failed: 'failed' }[r.status] || 'skipped', (r.failedExpectations[0] || {}).message || '']) }
  jasmineDone () { console.log('\\nRESULTS' + JSON.stringify(list)) } } }
module.exports = module.exports.default`,
    );
    const { text, errors } = await output(
      process.execPath,
      [binOf(dir, 'jasmine'), '--random=false', `--reporter=${script}`, file, ...args],
      dir,
    );
    const at = text.lastIndexOf('RESULTS');
    if (at < 0) throw new Error(firstLine(errors || text));
    return JSON.parse(text.slice(at + 7).split('\n')[0]).map(([name, how, message]) => [name, how, firstLine(message)]);
  },
};

function parsed(text, errors) {
  const at = text.indexOf('{');
  try {
    return JSON.parse(text.slice(at));
  } catch {
    throw new Error(firstLine(errors || text) || 'it printed nothing');
  }
}

async function ours(dir, file) {
  const { text, errors } = await output(
    process.execPath,
    [cli, 'run', file, '--format', 'json', '--time-limit', '60s'],
    dir,
  );
  const record = parsed(text, errors);
  const suites = new Set(record.tests.filter((one) => one.suite).map((one) => one.id));
  const rows = record.tests
    .filter((one) => !suites.has(one.id))
    .map(({ path, name, state, error }) => [[...path, name].join(' > '), state, firstLine(error?.message)]);
  return { rows, problem: rows.length === 0 ? firstLine(record.errors?.[0]?.message ?? errors) : '' };
}

const sorted = (rows) => rows.map((row) => JSON.stringify(row)).sort();
/** Mocha has one word for tests without a body and those that are left out. */
const asTheirs = (framework, [name, how, message]) => [
  name,
  framework !== 'jest' && framework !== 'vitest' && how === 'todo' ? 'skipped' : how,
  how === 'failed' ? message : '',
];

let [agreed, all, testsAgreed, testsAll] = [0, 0, 0, 0];
const rows = [];
for (const project of projects) {
  if (only && !only.includes(project.name)) continue;
  let dir;
  try {
    dir = made(project);
  } catch (error) {
    console.log(`${project.name}: ${error.message}`);
    continue;
  }
  const framework = project.framework.name;
  const sum = { files: 0, same: 0, tests: 0, sameTests: 0, why: [] };
  for (const file of filesIn(dir, project)) {
    let theirs;
    try {
      theirs = (await THEIRS[framework](dir, file, project.args)).map((row) => asTheirs(framework, row));
    } catch (error) {
      console.log(`  ${project.name} ${file}: ${framework} itself: ${error.message}`);
      continue;
    }
    if (theirs.length === 0) continue;
    sum.files++;
    sum.tests += theirs.length;
    const own = await ours(dir, file).catch((error) => ({ rows: [], problem: error.message }));
    const mine = sorted(own.rows.map((row) => asTheirs(framework, row)));
    const wanted = sorted(theirs);
    const left = [...mine];
    const missing = wanted.filter((row) => {
      const at = left.indexOf(row);
      if (at >= 0) left.splice(at, 1);
      return at < 0;
    });
    sum.sameTests += wanted.length - missing.length;
    if (missing.length === 0 && left.length === 0) sum.same++;
    else {
      sum.why.push(`${file}: ${own.problem || `${missing.length} of ${wanted.length} differ`}`);
      if (process.argv.includes('--show')) {
        console.log(`  ${file}: ${own.problem}`);
        for (const row of missing.slice(0, 4)) console.log(`    theirs ${row}`);
        for (const row of left.slice(0, 4)) console.log(`    ours   ${row}`);
      }
    }
  }
  agreed += sum.same;
  all += sum.files;
  testsAgreed += sum.sameTests;
  testsAll += sum.tests;
  rows.push(
    `| ${project.name} ${project.version} | ${framework} | ${sum.same} of ${sum.files} | ${sum.sameTests} of ${sum.tests} | ${sum.why.slice(0, 3).join('; ')} |`,
  );
  console.log(rows.at(-1));
}
if (process.argv.includes('--table')) {
  const path = join(root, 'docs/tests.md');
  const head = '| package | framework | files | tests | what differs |\n|---|---|---|---|---|';
  const sum = `${agreed} of ${all} files and ${testsAgreed} of ${testsAll} tests agree.`;
  const text = readFileSync(path, 'utf8').replace(
    /(<!-- frameworks -->\n)[^]*?(<!-- \/frameworks -->)/,
    (_all, open, close) => `${open}\n${head}\n${rows.join('\n')}\n\n${sum}\n\n${close}`,
  );
  writeFileSync(path, text);
}
console.log(`\n${agreed} of ${all} files, ${testsAgreed} of ${testsAll} tests agree`);
