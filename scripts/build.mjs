// Builds everything: the layers with the TypeScript compiler, the page with Vite, the JSON Schema from its one definition.
import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire, isBuiltin } from 'node:module';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const require = createRequire(import.meta.url);

/** Runs a script of a package with this Node, and ends with it when it fails. */
function run(name, script, args) {
  const { status } = spawnSync(process.execPath, [script, ...args], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  if (status !== 0) {
    console.error(`build: ${name} failed`);
    process.exit(status ?? 1);
  }
}

run('the layers', require.resolve('typescript/bin/tsc'), [
  '-b',
  'src/cli',
  'src/workbench',
  'src/vite',
  'src/published',
]);
removeStale();
await entries();
const vite = join(dirname(require.resolve('vite/package.json')), 'bin/vite.js');
run('the page', vite, ['build', '--logLevel', 'warn']);
run('the published page', vite, ['build', '--logLevel', 'warn', '--config', 'vite.published.config.ts']);
await publishedScripts();
const { comparisonJsonSchema } = await import(pathToFileURL(join(root, 'dist/compare/comparison.js')).href);
const { recordJsonSchema, walkJsonSchema } = await import(pathToFileURL(join(root, 'dist/record/index.js')).href);
mkdirSync(join(root, 'dist'), { recursive: true });
writeFileSync(join(root, 'dist/record.schema.json'), `${JSON.stringify(recordJsonSchema(), null, 2)}\n`);

writeFileSync(join(root, 'dist/comparison.schema.json'), `${JSON.stringify(comparisonJsonSchema(), null, 2)}\n`);
writeFileSync(join(root, 'dist/walk.schema.json'), `${JSON.stringify(walkJsonSchema(), null, 2)}\n`);

/** Takes away what was built of sources that are gone: what still asks for it is to fail here as it would anew. */
function removeStale() {
  for (const layer of readdirSync(join(root, 'src'))) {
    const built = join(root, 'dist', layer);
    // The page is built as a whole, into the folder of its name.
    if (layer === 'workbench' || layer === 'published' || !existsSync(built)) continue;
    for (const name of readdirSync(built, { recursive: true })) {
      const base = /^(.+?)\.(?:d\.ts|js)(?:\.map)?$/.exec(name)?.[1];
      const sources = ['.ts', '.tsx'].map((extension) => join(root, 'src', layer, `${base}${extension}`));
      if (base !== undefined && !sources.some(existsSync)) rmSync(join(built, name));
    }
  }
}

/** What runs the pads of a published page, and what translates them, as one script each. */
async function publishedScripts() {
  const { build } = await import('esbuild');
  await build({
    entryPoints: [
      join(root, 'dist/hosts/alone/thread.js'),
      ...['compiler', 'whole-compiler', 'frame', 'tables', 'page-texts', 'plots'].map((name) =>
        join(root, `src/published/${name}.ts`),
      ),
    ],
    outdir: join(root, 'dist/published'),
    entryNames: '[name]',
    ...{ bundle: true, format: 'iife', platform: 'browser', target: 'es2022', minify: true, logLevel: 'warning' },
    // Asked for by the compiler of TypeScript, where it runs in Node.
    external: ['fs', 'path', 'os', 'inspector', 'perf_hooks', 'crypto', 'source-map-support'],
  });
}

/** One file for each program that is started as a process or thread, beside the modules: to load many small files takes longer than to run them. */
async function entries() {
  const { build } = await import('esbuild');
  const dist = join(root, 'dist');
  const out = join(dist, 'bin');
  rmSync(out, { recursive: true, force: true });
  const places = {
    // Files that a module names beside itself are found from where the module lies.
    name: 'places',
    setup: ({ onLoad }) =>
      onLoad({ filter: /\.js$/ }, ({ path }) => {
        const place = JSON.stringify(relative(out, path).split(sep).join('/'));
        return {
          contents: readFileSync(path, 'utf8').replaceAll('import.meta.url', `new URL(${place}, import.meta.url).href`),
          loader: 'js',
        };
      }),
  };
  // What a run or a workbench begins with comes along, with all that it needs; the rest is found when it is asked for.
  const along =
    /^(?:@babel\/parser|zod|string-width|get-east-asian-width|emoji-regex|strip-ansi|ansi-regex|diff|@jridgewell\/[\w-]+|@codemirror\/[\w-]+|@marijn\/[\w-]+|commander|fastify|@fastify\/static|ws|chokidar|glob|semver|import-meta-resolve|picocolors|vscode-[\w-]+|@vscode\/debug[\w-]+)(?:\/|$)/;
  // Asked for by those, and never used here.
  const apart = /^(?:pino|bufferutil|utf-8-validate|fsevents)(?:\/|$)/;
  const packages = {
    name: 'packages',
    setup: ({ onResolve }) =>
      onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) => {
        if (kind === 'entry-point') return undefined;
        const comes = along.test(path) || (/[\\/]node_modules[\\/]/.test(importer) && !apart.test(path));
        return comes && !isBuiltin(path) ? undefined : { path, external: true };
      }),
  };
  // Messages of a schema are told to nobody in other languages here; their tables are as large as all the rest.
  const languages = {
    name: 'languages',
    setup: ({ onResolve, onLoad }) => {
      onResolve({ filter: /[\\/]locales[\\/]index\.js$/ }, ({ importer }) =>
        /[\\/]zod[\\/]/.test(importer) ? { path: 'none', namespace: 'languages' } : undefined,
      );
      onLoad({ filter: /.*/, namespace: 'languages' }, () => ({ contents: 'export {}' }));
    },
  };
  const entryPoints = [
    'cli/main',
    ...[
      'relay-main',
      'process-main',
      'process-relay',
      'pad-worker',
      'participant-hooks',
      'types-worker',
      'compare-main',
      'painter-main',
    ].map((name) => `hosts/node/${name}`),
  ];
  await build({
    entryPoints: Object.fromEntries(entryPoints.map((path) => [path.split('/').pop(), join(dist, `${path}.js`)])),
    bundle: true,
    splitting: true,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    outdir: out,
    chunkNames: 'part-[hash]',
    minifySyntax: true,
    minifyWhitespace: true,
    // Packages that are scripts ask for what Node has by this name.
    banner: { js: "import{createRequire as ownRequire}from'node:module';const require=ownRequire(import.meta.url);" },
    logLevel: 'warning',
    plugins: [languages, packages, places],
  });
  // What is loaded before a script is a script itself: a module there would have every program begin in the loader of modules.
  await build({
    entryPoints: { participant: join(dist, 'hosts/node/participant.js') },
    bundle: true,
    format: 'cjs',
    platform: 'node',
    target: 'node20',
    outdir: out,
    outExtension: { '.js': '.cjs' },
    packages: 'external',
    logLevel: 'warning',
    define: { 'import.meta.url': 'ownUrl' },
    banner: { js: "const ownUrl=require('node:url').pathToFileURL(__filename).href;" },
    plugins: [places],
  });
  chmodSync(join(out, 'main.js'), 0o755);
}
