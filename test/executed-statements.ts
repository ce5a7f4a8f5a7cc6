/** Code of published packages as a project's own, and the statements of it that some work executes. */
import { spawnSync } from 'node:child_process';
import { cpSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parse } from 'acorn';
import { format } from 'prettier';
import { folder, root } from './harness.js';

/** Published code, and what is done with it. */
export interface Elsewhere {
  what: string;
  package: string;
  /** The file that is imported, in the package. */
  entry: string;
  /** What of it. */
  names: string;
  /** An expression that gives something which can be written as JSON. */
  work: string;
}

export const ELSEWHERE: readonly Elsewhere[] = [
  {
    what: 'a parser, one large ES module',
    package: 'acorn',
    entry: 'dist/acorn.mjs',
    names: '{ parse }',
    work: "parse('const a = async (b) => { for (const c of b) await c?.d }; class X { #y = 1; get z() { return this.#y } }', { ecmaVersion: 2022 }).body.map(({ type, end }) => [type, end])",
  },
  {
    what: 'numbers, a closure over constructors',
    package: 'decimal.js',
    entry: 'decimal.mjs',
    names: 'Decimal',
    work: "[new Decimal('1.25').times('3').sqrt().toFixed(10), Decimal.sin(1).toString(), new Decimal(2).pow(0.5).toString()]",
  },
  {
    what: 'comparing texts, many small modules',
    package: 'diff',
    entry: 'libesm/index.js',
    names: '{ diffLines, createPatch }',
    work: "[diffLines('a\\nb\\n', 'a\\nc\\n').length, createPatch('f', 'a\\nb\\n', 'a\\nc\\n')]",
  },
  {
    what: 'a table reader, a stream of its own',
    package: 'csv-parse',
    entry: 'lib/sync.js',
    names: '{ parse }',
    work: `parse('a,b\\n1,"x ""y"" z"\\n2,3\\n', { columns: true, cast: true })`,
  },
  {
    what: 'a formatter, scripts that are required',
    package: 'js-beautify',
    entry: 'js/src/index.js',
    names: 'beautify',
    work: "[beautify.js('if(a){b(c)}else d=[1,2]'), beautify.css('a{b:c}')]",
  },
  {
    what: 'a command line, classes that are required',
    package: 'commander',
    entry: 'lib/command.js',
    names: '{ Command }',
    work: "(() => { const c = new Command().option('-l, --lock <name>').argument('[boats...]').action(() => {}); c.parse(['-l', 'Dun', 'Heron'], { from: 'user' }); return [c.opts(), c.args, c.helpInformation().length] })()",
  },
];

/** A statement at the begin of a line (from 0), in a function. */
export interface Place {
  file: string;
  line: number;
  text: string;
}

export interface Project {
  dir: string;
  main: string;
  places: Place[];
  /** What the work gives, as JSON. */
  result: string;
}

/** @param bare semicolons are left out */
export async function projectOf(one: Elsewhere, bare: boolean): Promise<Project> {
  const dir = folder();
  const source = join(dir, 'source');
  cpSync(join(root, 'node_modules', one.package), source, {
    recursive: true,
    filter: (file) => !file.slice(join(root, 'node_modules').length + 1).includes('node_modules'),
  });
  symlinkSync(join(root, 'node_modules'), join(dir, 'node_modules'), 'junction');
  if (bare) await leaveOutSemicolons(join(source, one.entry, '..'));
  const from = `./source/${one.entry}`;
  const covered = join(dir, 'covered.mjs');
  writeFileSync(covered, coveredText(one, from));
  const { status, stderr, stdout } = spawnSync(process.execPath, [covered], { encoding: 'utf8', cwd: dir });
  if (status !== 0) throw new Error(stderr);
  const { result, scripts } = JSON.parse(stdout) as { result: string; scripts: Covered[] };
  const main = join(dir, 'main.mjs');
  writeFileSync(main, mainText(one, from));
  return { dir, main, result, places: scripts.flatMap(placesIn) };
}

async function leaveOutSemicolons(dir: string): Promise<void> {
  for (const entry of readdirSync(dir, { withFileTypes: true })) {
    const file = join(dir, entry.name);
    if (entry.isDirectory()) await leaveOutSemicolons(file);
    else if (/\.m?js$/.test(entry.name))
      writeFileSync(file, await format(readFileSync(file, 'utf8'), { parser: 'babel', semi: false, printWidth: 100 }));
  }
}

/** Does the work once, and then tells what executes when it is done again. */
function coveredText({ names, work }: Elsewhere, from: string): string {
  const wanted = names.startsWith('{') ? `const ${names} = loaded` : `const ${names} = loaded.default`;
  return `import { Session } from 'node:inspector'
const session = new Session()
session.connect()
const post = (method, params) => new Promise((done, fail) => session.post(method, params, (error, result) => (error ? fail(error) : done(result))))
await post('Profiler.enable')
await post('Profiler.startPreciseCoverage', { callCount: true, detailed: true })
const loaded = await import('${from}')
${wanted}
const work = async () => ${work}
await work()
await post('Profiler.takePreciseCoverage')
const result = JSON.stringify(await work())
const { result: all } = await post('Profiler.takePreciseCoverage')
console.log(JSON.stringify({ result, scripts: all.filter(({ url }) => url.includes('/source/')) }))
`;
}

/** Does the work again and again, until it fails. */
function mainText({ names, work }: Elsewhere, from: string): string {
  return `import ${names} from '${from}'
const work = async () => ${work}
export let turns = 0
export const results = new Set()
async function turn() {
  results.add(JSON.stringify(await work()))
  turns++
  setTimeout(turn, 10)
}
turn()
console.log('ready')
`;
}

interface Covered {
  url: string;
  functions: { ranges: { startOffset: number; endOffset: number; count: number }[] }[];
}

type Loose = { type: string; start: number; [key: string]: unknown };

function placesIn({ url, functions }: Covered): Place[] {
  const file = fileURLToPath(url);
  const text = readFileSync(file, 'utf8');
  const ranges = functions
    .flatMap((one) => one.ranges)
    .sort((a, b) => a.startOffset - b.startOffset || b.endOffset - a.endOffset);
  const isExecuted = (at: number): boolean =>
    (ranges.filter(({ startOffset, endOffset }) => startOffset <= at && at < endOffset).at(-1)?.count ?? 0) > 0;
  const places: Place[] = [];
  const walk = (node: Loose, parent: string, inFunction: boolean, isReached = true): void => {
    const begin = text.lastIndexOf('\n', node.start - 1) + 1;
    const isStatement = /Statement$|^VariableDeclaration$/.test(node.type) && !/^(Block|Empty)/.test(node.type);
    if (inFunction && isStatement && parent === 'BlockStatement' && /^\s*$/.test(text.slice(begin, node.start)))
      if (isReached && isExecuted(node.start)) {
        const line = text.slice(0, begin).split('\n').length - 1;
        places.push({ file, line, text: text.slice(node.start).split('\n')[0]! });
      }
    const isInner = inFunction || node.type.includes('Function');
    for (const value of Object.values(node)) {
      // The engine counts what stands behind a choice that is never reached as often as what is around it.
      let reached = isReached;
      for (const child of Array.isArray(value) ? (value as unknown[]) : [value]) {
        if (typeof (child as Loose | undefined)?.type !== 'string') continue;
        const one = child as Loose;
        const isFunction = one.type.includes('Function');
        if (node.type === 'BlockStatement' && !isFunction && !isExecuted(one.start)) reached = false;
        walk(one, node.type, isInner, isFunction || reached);
      }
    }
  };
  walk(parsed(text), '', false);
  return places;
}

function parsed(text: string): Loose {
  const options = { ecmaVersion: 'latest', allowHashBang: true } as const;
  try {
    return parse(text, { ...options, sourceType: 'module' }) as unknown as Loose;
  } catch {
    return parse(text, { ...options, sourceType: 'script' }) as unknown as Loose;
  }
}
