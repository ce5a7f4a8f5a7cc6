// Checks the order of layers: an import against it fails, also where the compiler's project references would not see it.
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, relative, resolve, sep } from 'node:path';
import { fileURLToPath } from 'node:url';

const source = resolve(process.argv[2] ?? fileURLToPath(new URL('../src', import.meta.url)));

/** What each layer may import; see docs/architecture.md. */
const ALLOWED = {
  wire: [],
  syntax: [],
  instrument: ['wire', 'syntax'],
  runtime: ['wire'],
  record: ['wire', 'syntax', 'instrument', 'runtime'],
  patch: ['wire', 'syntax', 'instrument'],
  views: ['wire', 'syntax', 'record', 'runtime', 'instrument'],
  session: ['wire', 'syntax', 'instrument', 'runtime', 'record', 'patch'],
  'hosts/node': ['wire', 'syntax', 'instrument', 'runtime', 'record', 'patch', 'session'],
  'hosts/browser': ['wire', 'runtime'],
  server: ['wire', 'syntax', 'runtime', 'record', 'views', 'session', 'hosts/node'],
  cli: ['wire', 'syntax', 'runtime', 'record', 'views', 'session', 'hosts/node', 'server'],
  vite: ['wire', 'syntax', 'instrument', 'runtime', 'session', 'hosts/browser', 'hosts/node', 'server'],
  workbench: ['wire', 'server', 'views', 'runtime'],
};
/** Layers that know neither Node nor a page. */
const CORE = new Set(['wire', 'syntax', 'instrument', 'runtime', 'record', 'patch', 'views', 'session']);

const problems = [];
const visit = (path) => {
  if (statSync(path).isDirectory()) {
    for (const name of readdirSync(path)) visit(join(path, name));
    return;
  }
  if (!/\.tsx?$/.test(path) || /\.test\.tsx?$/.test(path)) return;
  const layer = layerOf(path);
  if (layer === undefined) return;
  for (const [, specifier] of readFileSync(path, 'utf8').matchAll(/(?:from|import)\s*\(?\s*'([^']+)'/g)) {
    if (specifier.startsWith('node:')) {
      if (CORE.has(layer))
        problems.push(`${relative(source, path)} imports ${specifier}: the layer ${layer} knows no Node`);
    } else if (specifier.startsWith('.')) {
      const target = layerOf(resolve(dirname(path), specifier));
      if (target !== undefined && target !== layer && !ALLOWED[layer].includes(target))
        problems.push(`${relative(source, path)} imports ${specifier}: the layer ${layer} may not know ${target}`);
    } else if (layer === 'runtime')
      problems.push(`${relative(source, path)} imports ${specifier}: the runtime imports nothing from outside`);
  }
};
visit(source);
if (problems.length > 0) {
  console.error(problems.join('\n'));
  process.exit(1);
}
console.log('The order of layers holds.');

function layerOf(path) {
  const parts = relative(source, path).split(sep);
  const two = parts.slice(0, 2).join('/');
  return ALLOWED[two] ? two : ALLOWED[parts[0]] ? parts[0] : undefined;
}
