/** What stands for a function of the platform while a pad runs has its name, its length and its text. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { cli, folder } from './harness.js';

/** Writes what functions of the platform's modules and globals look like to a file. */
const LOOKS = `const { builtinModules } = require('module')
const { writeFileSync } = require('fs')
const looks = {}
const textOf = Function.prototype.toString
function look(holder, path, inner) {
  for (const key of Object.getOwnPropertyNames(holder)) {
    const value = Object.getOwnPropertyDescriptor(holder, key).value
    if (typeof value !== 'function' || key === 'constructor') continue
    looks[path + '.' + key] = [value.name, value.length, textOf.call(value)].join(' ')
    if (inner && value.prototype) look(value.prototype, path + '.' + key, false)
  }
}
for (const name of builtinModules)
  if (!/^_|^(?:buffer|trace_events|inspector|wasi|sys|punycode|module)\\b/.test(name)) look(require(name), name, true)
for (const [name, one] of Object.entries({ globalThis, console, process, Promise, Error, Function, Object, Date, Math }))
  look(one, name, true)
writeFileSync(process.argv[2], JSON.stringify(looks))
`;

/** What a thread of the platform's own has not, or has differently; and the text of functions, which is given as written. */
const OF_THREADS =
  /^process\.(?:abort|chdir|cwd|set[a-z]+|initgroups|umask|_\w+|openStdin)$|^(?:process|globalThis\.process)\b.*\b(?:stdin|stdout|stderr)$/;

test.each([[[]], [['--process']]])('in threads and processes %s', (flags: string[]) => {
  const dir = folder({ 'looks.cjs': LOOKS });
  const [plain, ours] = [join(dir, 'plain.json'), join(dir, 'ours.json')];
  spawnSync(process.execPath, ['looks.cjs', plain], { cwd: dir });
  const { code, stdout } = cli(['run', ...flags, 'looks.cjs', ours], { cwd: dir });
  expect({ code, said: code === 0 ? '' : stdout.slice(-600) }).toEqual({ code: 0, said: '' });
  const read = (file: string) => JSON.parse(readFileSync(file, 'utf8')) as Record<string, string>;
  const [expected, seen] = [read(plain), read(ours)];
  expect(Object.keys(expected).length).toBeGreaterThan(1_000);
  const different = Object.keys(expected).filter(
    (name) => !OF_THREADS.test(name) && name in seen && seen[name] !== expected[name],
  );
  expect(different.map((name) => [name, seen[name]!.slice(0, 80), expected[name]!.slice(0, 80)])).toEqual([]);
});
