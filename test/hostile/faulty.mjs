// Saves a text, or keeps one, while the platform fails at a chosen step: `faulty.mjs <save|keep> <fault> <step> <folder>`.
// Prints how many steps there were, and the error that came of it.
import fs from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';
import { join } from 'node:path';

const [, , what, fault, at, folder] = process.argv;
const file = join(folder, 'lock.ts');
const CHANGING = [
  'openSync',
  'writeSync',
  'writeFileSync',
  'fsyncSync',
  'closeSync',
  'renameSync',
  'fchmodSync',
  'fchownSync',
  'ftruncateSync',
  'mkdirSync',
  'rmSync',
  'readFileSync',
  'statSync',
  'lstatSync',
  'readdirSync',
  'realpathSync',
];
let step = 0;
let armed = false;
for (const name of CHANGING) {
  const original = fs[name];
  fs[name] = (...args) => {
    if (!armed || ++step !== Number(at)) return original(...args);
    if (fault === 'kill') process.kill(process.pid, 'SIGKILL');
    // Half of it is on disk when the process ends, or when the disk is full.
    if (name === 'writeSync') original(args[0], args[1], args[2], Math.ceil(args[3] / 2), args[4]);
    if (name === 'writeFileSync') original(args[0], String(args[1]).slice(0, 20), args[2]);
    if (fault === 'kill half') process.kill(process.pid, 'SIGKILL');
    throw Object.assign(new Error(`${fault}: ${name}`), { code: fault });
  };
}
syncBuiltinESMExports();
const { saveText } = await import('../../dist/hosts/node/saving.js');
const { Journal } = await import('../../dist/server/workbench/journal.js');
armed = true;
let error = '';
try {
  if (what === 'save') saveText(file, 'new text\n'.repeat(2_000));
  else new Journal(join(folder, 'state')).keep(file, 'new text\n'.repeat(2_000), 'base');
} catch (thrown) {
  error = thrown.message;
}
armed = false;
console.log(JSON.stringify({ step, error }));
