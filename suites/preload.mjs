// Instruments what a process loads, but packages, at the depth in ANVIL_DEPTH: for suites that run under plain `node`.
import { Module, register } from 'node:module';
import { extname, sep } from 'node:path';
import { instrument } from '../dist/hosts/node/instrument.js';

const depth = process.env.ANVIL_DEPTH;
const local = (file) => !file.includes(`${sep}node_modules${sep}`) && file.includes(process.env.ANVIL_SUITE);
const compile = Module.prototype._compile;
Module.prototype._compile = function (content, file, ...rest) {
  if (!local(file) || rest[0] === 'module' || extname(file) === '.json')
    return compile.call(this, content, file, ...rest);
  const { code, problems } = instrument(content, { file: file.replace(/\.js$/, '.cjs'), depth, form: 'script' });
  return compile.call(this, problems.length > 0 ? content : code, file, ...rest);
};
register('./preload-hooks.mjs', import.meta.url);
