// One program at one depth, in a process of its own: prints the milliseconds of each round as JSON.
// At least so many rounds, and a second of them, so that the engine has done its optimising in a small program too.
import { createRequire } from 'node:module';
import { types } from 'node:util';
import vm from 'node:vm';
import { instrument } from '../dist/hosts/node/instrument.js';
import { makeProbes } from '../dist/runtime/probes.js';
import { Reporter } from '../dist/runtime/reports/reporter.js';
import { programs } from './programs.mjs';

const [index, depth, rounds] = [Number(process.argv[2]), process.argv[3], Number(process.argv[4])];
const require = createRequire(import.meta.url);

function prepare(text, file) {
  if (depth === 'plain') return text;
  if (depth === 'yardstick')
    return require('istanbul-lib-instrument')
      .createInstrumenter({ esModules: false, produceSourceMap: false })
      .instrumentSync(text, file);
  if (depth === 'live')
    return instrument(text, { file: file.replace(/\.m?js$/, '.cjs'), depth: 'off', form: 'script', patchable: true })
      .code;
  const { code, sites, problems } = instrument(text, { file: file.replace(/\.m?js$/, '.cjs'), depth, form: 'script' });
  if (problems.length > 0) throw new Error(problems[0].message);
  const reporter = new Reporter(
    { isProxy: types.isProxy, brand: () => undefined },
    () => undefined,
    () => performance.now(),
  );
  const column = (key) => Int32Array.from(sites, (site) => site[key]);
  const cells = new Float64Array(new SharedArrayBuffer(8 * sites.length));
  const probes = makeProbes(reporter, { site: -1 }, cells, {
    base: 0,
    owners: column('owner'),
    reach: column('reach'),
    plus: column('plus'),
    kept: [],
  });
  globalThis[Symbol.for('usher-anvil/probes@1')] = () => probes;
  return code;
}

function load(file, text) {
  const module = { exports: {} };
  const inner = file.includes('/') ? createRequire(file) : require;
  const from = (name) => {
    if (!name.startsWith('.')) return inner(name);
    const resolved = inner.resolve(name);
    return inner(resolved);
  };
  vm.runInThisContext(`(function(exports,require,module){${prepare(text, file)}\n})`, { filename: file })(
    module.exports,
    from,
    module,
  );
  return module.exports;
}

const program = programs[index];
const run = program.use(load(program.file, program.text));
const times = [];
const begin = performance.now();
while (times.length < rounds || (performance.now() - begin < 1000 && times.length < 4000)) {
  const start = performance.now();
  run();
  times.push(performance.now() - start);
}
console.log(JSON.stringify(times));
