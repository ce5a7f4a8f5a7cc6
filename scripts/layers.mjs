// Checks the order of layers and files: an import against the order, or in a circle, fails, also where the compiler would let it pass.
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { fileURLToPath } from 'node:url';

const source = resolve(process.argv[2] ?? fileURLToPath(new URL('../src', import.meta.url)));

/** What each layer may import; see docs/architecture.md. */
const ALLOWED = {
  wire: [],
  sharing: [],
  syntax: ['wire'],
  instrument: ['wire', 'syntax'],
  runtime: ['wire'],
  compare: ['wire', 'runtime'],
  record: ['wire', 'syntax', 'instrument', 'runtime'],
  patch: ['wire', 'syntax', 'instrument'],
  views: ['wire', 'syntax', 'record', 'runtime', 'instrument', 'compare'],
  session: ['wire', 'syntax', 'instrument', 'runtime', 'record', 'patch'],
  'hosts/node': ['wire', 'syntax', 'instrument', 'runtime', 'compare', 'record', 'patch', 'session'],
  'hosts/browser': ['wire', 'runtime'],
  'hosts/alone': ['wire', 'syntax', 'instrument', 'runtime', 'compare', 'session', 'hosts/browser'],
  'hosts/pages': ['wire', 'syntax', 'runtime', 'session', 'hosts/browser', 'hosts/node'],
  server: [
    'wire',
    'sharing',
    'syntax',
    'runtime',
    'compare',
    'record',
    'views',
    'session',
    'hosts/node',
    'hosts/pages',
    'instrument',
  ],
  editor: ['wire', 'sharing', 'syntax', 'runtime', 'record', 'views', 'session', 'hosts/node', 'server'],
  adapter: ['wire', 'syntax', 'runtime', 'record', 'views', 'session', 'hosts/node'],
  cli: ['wire', 'syntax', 'runtime', 'record', 'views', 'session', 'hosts/node', 'server', 'editor', 'adapter'],
  vite: ['wire', 'syntax', 'instrument', 'runtime', 'session', 'hosts/browser', 'hosts/node', 'server'],
  published: [
    'wire',
    'compare',
    'syntax',
    'instrument',
    'record',
    'views',
    'session',
    'hosts/alone',
    'hosts/browser',
    'hosts/node',
    'hosts/pages',
    'server',
    'workbench',
  ],
  workbench: ['wire', 'sharing', 'server', 'views', 'runtime'],
};
/** Layers that know neither Node nor a page. */
const CORE = new Set([
  'wire',
  'sharing',
  'syntax',
  'instrument',
  'runtime',
  'compare',
  'record',
  'patch',
  'views',
  'session',
]);
/** Layers that run inside of targets: nothing they import may bring a library. */
const INSIDE = new Set(['runtime', 'hosts/browser']);

const problems = [];
/** Files by path, with what each imports: path or package, and whether only types are taken. */
const files = new Map();
visit(source);
for (const [path, imports] of files) {
  const layer = layerOf(path);
  if (layer === undefined) continue;
  for (const { specifier, target, typeOnly } of imports) check(path, layer, specifier, target, typeOnly);
}
circles();
if (process.argv[2] === undefined) extensions();
if (problems.length > 0) {
  console.error(problems.join('\n'));
  process.exit(1);
}
console.log('The order of layers and files holds.');

function visit(path) {
  if (statSync(path).isDirectory()) {
    for (const name of readdirSync(path)) visit(join(path, name));
    return;
  }
  if (!/\.tsx?$/.test(path) || /\.test\.tsx?$/.test(path)) return;
  const text = readFileSync(path, 'utf8');
  if (/^export \* from/m.test(text)) problems.push(`${nameOf(path)} has export *: name what it gives, one by one`);
  const imports = [];
  for (const [, kind, specifier] of text.matchAll(
    /^(?:import|export)\b( type\b)?[^;'"]*?from\s*'([^']+)'|^import '([^']+)'/gm,
  ))
    if (specifier) imports.push({ specifier, target: targetOf(path, specifier), typeOnly: kind !== undefined });
  for (const [, specifier] of text.matchAll(/\bimport\(\s*'([^']+)'\s*\)/g))
    imports.push({ specifier, target: undefined, typeOnly: true });
  files.set(path, imports);
}

/** What an extension may take along of the sources: it speaks with the server, and brings none of it. */
function extensions() {
  const folder = fileURLToPath(new URL('../editors', import.meta.url));
  const may = new Set(['editor/extra-messages', 'editor/line-text', 'editor/markdown']);
  for (const name of readdirSync(folder, { recursive: true })) {
    if (!/^\w+[\\/]src[\\/].*\.ts$/.test(name)) continue;
    for (const [, kind, from] of readFileSync(join(folder, name), 'utf8').matchAll(
      /^import\b( type\b)?[^;]*?from '(?:\.\.\/)+src\/([^']+)\.js'/gm,
    ))
      if (kind === undefined && !may.has(from))
        problems.push(`editors/${name} imports ${from}: it may know its types alone`);
  }
}

function targetOf(path, specifier) {
  if (!specifier.startsWith('.')) return undefined;
  const plain = resolve(dirname(path), specifier).replace(/\.js$/, '');
  return [`${plain}.ts`, `${plain}.tsx`].find((one) => existsSync(one));
}

function check(path, layer, specifier, target, typeOnly) {
  if (specifier.startsWith('node:')) {
    if (CORE.has(layer)) problems.push(`${nameOf(path)} imports ${specifier}: the layer ${layer} knows no Node`);
  } else if (target !== undefined) {
    const other = layerOf(target);
    if (other !== undefined && other !== layer && !ALLOWED[layer].includes(other))
      problems.push(`${nameOf(path)} imports ${specifier}: the layer ${layer} may not know ${other}`);
    if (INSIDE.has(layer) && !typeOnly && bringsLibrary(target, new Set()))
      problems.push(`${nameOf(path)} imports ${specifier}, which brings a library: it runs inside of targets`);
  } else if (layer === 'runtime' && !specifier.startsWith('.') && !typeOnly)
    problems.push(`${nameOf(path)} imports ${specifier}: the runtime imports nothing from outside`);
}

/** True when what a file imports, directly or over others, is a package. */
function bringsLibrary(path, seen) {
  if (seen.has(path)) return false;
  seen.add(path);
  return files
    .get(path)
    .some(
      ({ specifier, target, typeOnly }) =>
        !typeOnly && (target === undefined ? !specifier.startsWith('.') : bringsLibrary(target, seen)),
    );
}

/** Files that import each other in a circle, types too: none of them can be understood without the others. */
function circles() {
  const state = new Map();
  const way = [];
  const enter = (path) => {
    state.set(path, 'open');
    way.push(path);
    for (const { target } of files.get(path) ?? []) {
      if (target === undefined || !files.has(target)) continue;
      if (state.get(target) === 'open')
        problems.push(`in a circle: ${[...way.slice(way.indexOf(target)), target].map(nameOf).join(' > ')}`);
      else if (!state.has(target)) enter(target);
    }
    way.pop();
    state.set(path, 'done');
  };
  for (const path of files.keys()) if (!state.has(path)) enter(path);
}

function nameOf(path) {
  return relative(source, path);
}

function layerOf(path) {
  const parts = relative(source, path).split(sep);
  const two = parts.slice(0, 2).join('/');
  return ALLOWED[two] ? two : ALLOWED[parts[0]] ? parts[0] : undefined;
}
