/**
 * `npm run suites`: runs the own test suites of published packages as they are
 * and in four ways under us (functions that report values, functions that
 * count, as a live program, as a pad), and compares what they print and how
 * they end. `--only=a,b` chooses packages, `--few` installs no others, `--table`
 * writes their rows into the table of docs/fidelity.md.
 */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { packages } from './list.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const cli = join(root, 'dist/bin/main.js');
const option = (name) => process.argv.find((one) => one.startsWith(`--${name}=`))?.slice(name.length + 3);
const flag = (name) => process.argv.includes(`--${name}`);
const only = option('only')?.split(',');
const work = option('folder') ?? join(tmpdir(), 'anvil-suites');
const chosen = packages.filter(({ name }) => !only || only.includes(name));
const WAYS = ['values', 'counts', 'live', 'run'];
const LIMIT_MS = 40_000;

install();
const rows = [];
for (const one of chosen) rows.push(await suite(one));
const wrong = rows.filter((row) => row.wrong.length > 0);
console.log(`\n${rows.length - wrong.length} of ${rows.length} suites agree in all ways`);
for (const { name, wrong: list } of wrong) console.log(`\n${name}\n${list.map((text) => `  ${text}`).join('\n')}`);
if (flag('table')) table();
process.exitCode = wrong.length > 0 ? 1 : 0;

function install() {
  mkdirSync(work, { recursive: true });
  const dependencies = Object.fromEntries(
    (flag('few') ? chosen : packages).flatMap(({ name, version, needs = {} }) => [
      [name, version],
      ...Object.entries(needs),
    ]),
  );
  const manifest = JSON.stringify({ private: true, dependencies }, null, 2);
  const path = join(work, 'package.json');
  if (existsSync(path) && readFileSync(path, 'utf8') === manifest && existsSync(join(work, 'node_modules'))) return;
  writeFileSync(path, manifest);
  const { status } = spawnSync(
    'npm',
    ['install', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error', '--legacy-peer-deps'],
    {
      cwd: work,
      stdio: 'inherit',
    },
  );
  if (status !== 0) throw new Error('npm could not install the packages');
}

/** Test files of a package, sorted. */
function filesOf(folder, tests) {
  const path = join(folder, tests);
  if (statSync(path).isFile()) return [tests];
  return readdirSync(path)
    .filter(
      (name) => /\.[cm]?js$/.test(name) && !/^(helper|util|common|setup|fixture)/.test(name) && name !== 'browser.js',
    )
    .sort()
    .map((name) => join(tests, name));
}

async function suite({ name, tests, skip = [], args = [], globals = false }) {
  const folder = join(work, 'suites', name.replace('/', '-'));
  rmSync(folder, { recursive: true, force: true });
  cpSync(join(work, 'node_modules', name), folder, { recursive: true });
  const { version, type } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
  const files = [tests]
    .flat()
    .flatMap((one) => filesOf(folder, one))
    .filter((file) => !skip.includes(basename(file)));
  const row = {
    name,
    version,
    type: type === 'module' ? 'ES modules' : 'CommonJS',
    files: 0,
    lines: 0,
    wrong: [],
    left: [],
    ways: {},
  };
  for (const tested of files) {
    const cwd = folder;
    const file = globals ? driver(folder, tested) : tested;
    const [plain, again] = await both(
      () => node([join(folder, file), ...args], cwd),
      () => node([join(folder, file), ...args], cwd),
    );
    // What takes longer than we wait, or ends now so and now so by itself, says nothing.
    if (plain.code === 'SIGKILL' || plain.code !== again.code) {
      row.left.push(
        `${file}: ${plain.code === 'SIGKILL' ? 'takes too long' : `ends with ${plain.code} or ${again.code}`}`,
      );
      continue;
    }
    row.files++;
    row.lines += plain.out.length;
    // Nor do lines that two plain runs do not agree about.
    const steady = same(plain, again);
    const runs = {
      values: () =>
        node(['--import', join(root, 'suites/preload.mjs'), join(folder, file), ...args], cwd, {
          ANVIL_DEPTH: 'values',
          ANVIL_SUITE: folder,
        }),
      counts: () =>
        node(['--import', join(root, 'suites/preload.mjs'), join(folder, file), ...args], cwd, {
          ANVIL_DEPTH: 'counts',
          ANVIL_SUITE: folder,
        }),
      live: () => node([cli, 'live', join(folder, file), ...args], cwd),
      run: () => pad(join(folder, file), args, cwd),
    };
    const results = await both(
      async () => [await runs.values(), await runs.counts()],
      async () => [await runs.live(), await runs.run()],
    );
    results.flat().forEach((result, index) => {
      const why = steady
        ? same(plain, result) || (index > 1 && goesOn(plain, result)) || difference(plain, result)
        : plain.code === result.code || `ends with ${result.code}, not ${plain.code}`;
      row.ways[WAYS[index]] ??= 0;
      if (why === true) row.ways[WAYS[index]]++;
      else row.wrong.push(`${WAYS[index]} ${file}: ${why}`);
    });
  }
  console.log(
    `${row.wrong.length === 0 ? 'agrees ' : 'DIFFERS'} ${name} ${version}, ${row.files} files, ${row.lines} lines, ${WAYS.map((way) => `${way} ${row.ways[way] ?? 0}`).join(', ')}`,
  );
  for (const text of row.left) console.log(`  not compared: ${text}`);
  return row;
}

/** A first module that gives tests the globals of a runner, and then imports them. */
function driver(folder, file) {
  const name = `run-${basename(file)}`.replace(/\.c?js$/, '.mjs');
  writeFileSync(
    join(folder, name),
    `import { after, afterEach, before, beforeEach, describe, it } from 'node:test';\nObject.assign(globalThis, { after, afterEach, before, beforeEach, describe, it });\nawait import(${JSON.stringify(`./${file}`)});\n`,
  );
  return name;
}

function both(first, second) {
  return Promise.all([first(), second()]);
}

function node(args, cwd, env = {}) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, {
      cwd,
      env: {
        ...process.env,
        NODE_OPTIONS: '',
        NODE_TEST_CONTEXT: undefined,
        NO_COLOR: '1',
        FORCE_COLOR: undefined,
        USHER_ANVIL_LIVE: undefined,
        ...env,
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let out = '';
    let err = '';
    child.stdout.setEncoding('utf8').on('data', (text) => (out += text));
    child.stderr.setEncoding('utf8').on('data', (text) => (err += text));
    const timer = setTimeout(() => child.kill('SIGKILL'), LIMIT_MS);
    child.on('close', (code, signal) => {
      clearTimeout(timer);
      resolve({ code: signal ?? code, out: lines(out), raw: out, err });
    });
  });
}

/** As a pad: what it wrote to standard output is in its record. */
async function pad(file, args, cwd) {
  const result = await node([cli, 'run', '--format', 'json', '--time-limit', '80s', file, ...args], cwd);
  try {
    const record = JSON.parse(result.raw);
    const text = record.console
      .filter(({ level }) => /^(log|info|debug|stdout)$/.test(level))
      .map((entry) => entry.text)
      .join('\n');
    const tests = record.tests?.length > 0;
    const failed = (record.errors ?? []).map((error) => `${error.name}: ${error.message}`).join(' | ');
    return {
      code: result.code,
      out: lines(text),
      err: `${result.err}${failed}`,
      tests,
      count: record.tests?.filter((test) => !test.suite).length,
    };
  } catch {
    return { code: result.code, out: [], err: `${result.err}${result.raw.slice(0, 300)}` };
  }
}

/** Lines without what differs from run to run: times, processes, places of frames. */
function lines(text) {
  return text
    .split('\n')
    .map((line) =>
      line
        .replace(/\d+(\.\d+)?\s?ms\b/g, '… ms')
        .replace(/(duration_ms|time=|# time=|pid)[ :=]*[\d.]+/g, '$1 …')
        .replace(/\d{4}-\d\d-\d\dT[\d:.]+Z?/g, 'date')
        .replace(/\b\d\d:\d\d:\d\d GMT/g, 'time GMT')
        // Without our runtime columns are those of instrumented code.
        .replace(/(\.[cm]?js:\d+):\d+/g, '$1')
        .trimEnd(),
    )
    .filter((line) => line !== '' && !/^\s+at /.test(line));
}

function same(a, b) {
  // Tests of the platform are told in the record, not printed.
  if (b.tests)
    return (
      a.code === b.code &&
      Number(/^# tests (\d+)/m.exec(a.raw)?.[1] ?? /^ℹ tests (\d+)/m.exec(a.raw)?.[1] ?? b.count) === b.count
    );
  return a.code === b.code && a.out.length === b.out.length && a.out.every((line, index) => line === b.out[index]);
}

/** An error that nobody caught ends a plain process; here it is told, and the rest goes on: what came before is compared, and that it failed. */
function goesOn(a, b) {
  return (
    /\nNode\.js v/.test(a.err) && a.code !== 0 && b.code !== 0 && a.out.every((line, index) => line === b.out[index])
  );
}

function difference(a, b) {
  if (a.code !== b.code)
    return `ends with ${b.code}, not ${a.code}: ${b.err.trim().split('\n').slice(-6).join(' ⏎ ').slice(0, 500)}`;
  if (b.tests) return `has ${b.count} tests`;
  const at = a.out.findIndex((line, index) => line !== b.out[index]);
  return `line ${at + 1} is ${JSON.stringify(b.out[at]?.slice(0, 160))}, not ${JSON.stringify(a.out[at]?.slice(0, 160))}`;
}

/** Writes the rows of this run; those of packages that were not chosen stay. */
function table() {
  const path = join(root, 'docs/fidelity.md');
  const text = readFileSync(path, 'utf8');
  const place = /(<!-- suites -->\n)([^]*?)(<!-- \/suites -->)/;
  const known = new Map(
    (place.exec(text)?.[2].split('\n') ?? [])
      .filter((line) => /^\| [^-p]|^\| p(?!ackage \|)/.test(line))
      .map((line) => [line.split('|')[1].trim(), line]),
  );
  for (const row of rows)
    known.set(
      row.name,
      `| ${row.name} | ${row.version} | ${row.type} | ${row.files} | ${row.lines} | ${WAYS.map((way) => row.ways[way] ?? 0).join(' | ')} |`,
    );
  const made = [
    '| package | version | modules | test files | lines compared | values | counts | live | run |',
    '|---|---|---|---:|---:|---:|---:|---:|---:|',
    ...packages.flatMap(({ name }) => known.get(name) ?? []),
  ].join('\n');
  writeFileSync(path, text.replace(place, `$1${made}\n$3`));
}
