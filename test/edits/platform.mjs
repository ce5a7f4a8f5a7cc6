// The platform's own live edit on the catalogue: reads edits as JSON from standard input, prints what became of each.
// Modules are loaded as plain files; the edit goes through the open debugging protocol, as any debugger would send it.
import { mkdirSync, writeFileSync } from 'node:fs';
import { Session } from 'node:inspector';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

let input = '';
for await (const chunk of process.stdin) input += chunk;
const { folder, edits } = JSON.parse(input);

const session = new Session();
session.connect();
const scripts = new Map();
session.on('Debugger.scriptParsed', ({ params }) => scripts.set(params.url, params.scriptId));
const post = (method, params) =>
  new Promise((resolve, reject) =>
    session.post(method, params, (error, result) => (error ? reject(new Error(error.message)) : resolve(result))),
  );
await post('Debugger.enable');

const normal = (value) => JSON.parse(JSON.stringify([value]))[0];
const filesOf = (text, file) => (typeof text === 'string' ? { [file]: text } : text);
const within = (promise) =>
  Promise.race([promise, new Promise((_, reject) => setTimeout(() => reject(new Error('it did not end')), 250))]);
process.on('unhandledRejection', () => undefined);

const results = [];
for (const [index, edit] of edits.entries()) {
  const dir = join(folder, String(index));
  mkdirSync(dir);
  writeFileSync(join(dir, 'package.json'), '{"type":"module"}');
  for (const [name, text] of Object.entries(filesOf(edit.before, edit.file))) writeFileSync(join(dir, name), text);
  let outcome = '';
  try {
    const m = await import(pathToFileURL(join(dir, edit.file)).href);
    const held = edit.hold === undefined ? undefined : (0, eval)(`(m) => (${edit.hold}\n)`)(m);
    for (const [name, text] of Object.entries(filesOf(edit.after, edit.file))) {
      const path = join(dir, name);
      const scriptId = scripts.get(pathToFileURL(path).href) ?? scripts.get(path);
      if (scriptId === undefined) throw new Error(`a new file`);
      // CommonJS stands in a function that the platform puts around it, which is no part of what it calls the source.
      const { status, exceptionDetails } = await post('Debugger.setScriptSource', { scriptId, scriptSource: text });
      if (status !== undefined && status !== 'Ok') throw new Error(exceptionDetails?.text ?? status);
    }
    const given = normal(await within((0, eval)(`(m, held) => (${edit.then}\n)`)(m, held)));
    outcome = JSON.stringify(given) === JSON.stringify(normal(edit.gives)) ? 'yes' : `gave ${JSON.stringify(given)}`;
  } catch (error) {
    outcome = String(error.message).split('\n')[0];
  }
  results.push(outcome);
}
process.stdout.write(JSON.stringify(results), () => process.exit(0));
