// What it costs to observe all functions of a program, and what is left of that when nobody looks any more: in one process,
// rounds of the plain program beside rounds of the live one.
import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import vm from 'node:vm';
import { buildSync } from 'esbuild';
import { programs } from './programs.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const require = createRequire(import.meta.url);

/** The small live program of the tests, which needs no process of its own. */
async function stageClass() {
  const outfile = `${root}dist/bench/stage.mjs`;
  buildSync({
    entryPoints: [`${root}test/stage.ts`],
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    alias: { '#dist': `${root}dist` },
    packages: 'external',
    banner: {
      js: `import { createRequire as requireOf } from 'node:module'; const require = requireOf(import.meta.url);`,
    },
    logLevel: 'error',
  });
  return (await import(pathToFileURL(outfile).href)).Stage;
}

function plainOf(text) {
  const module = { exports: {} };
  const run = new vm.Script(`(function(exports,module,require){${text}\n})`).runInThisContext();
  run(module.exports, module, require);
  return module.exports;
}

/** @returns for each program and depth the ratios to plain code: untouched, observed, and after that */
export async function observedBench(rounds, median) {
  const Stage = await stageClass();
  const rows = [];
  for (const { name, text, use = (given) => given } of programs)
    for (const depth of ['counts', 'values']) {
      const plain = use(plainOf(text));
      // Another text for each depth: what the engine has learnt of one is not to tell in the other.
      const stage = new Stage({ 'program.cjs': `${text}\n// ${depth}` }, '/canal/program.cjs');
      await stage.start();
      const live = use(stage.m.default);
      const ratio = () => {
        const times = { plain: [], live: [] };
        for (let i = 0; i < rounds; i++)
          for (const [which, run] of [
            ['plain', plain],
            ['live', live],
          ]) {
            const start = performance.now();
            run();
            times[which].push(performance.now() - start);
          }
        const settled = (list) => median(list.slice(rounds >> 1));
        return settled(times.live) / settled(times.plain);
      };
      const untouched = ratio();
      stage.observe(depth);
      const observed = ratio();
      for (const [file, { functions }] of stage.modules)
        stage.target.parts.registry.observed.observe({
          units: [],
          steps: [],
          release: [{ file, slots: functions.flat().map(({ slot }) => slot) }],
          gone: [],
        });
      const after = ratio();
      rows.push([name, depth, ...[untouched, observed, after].map((one) => one.toFixed(2))]);
    }
  return rows;
}
