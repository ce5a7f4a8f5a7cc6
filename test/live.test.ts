import { renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive } from '#dist/hosts/node/live.js';
import type { LiveEvent } from '#dist/session/live/events.js';
import { eventually, folder, start, wait } from './harness.js';

const running: { stop(): void }[] = [];
// A program goes on without who started it: one of a test that failed too.
afterEach(() => {
  for (const session of running.splice(0)) session.stop();
});

/** A live program driven through the package: its output, its events, and saves that are waited for. */
function live(files: Record<string, string>, entry = Object.keys(files)[0]!) {
  const dir = folder(files);
  const events: LiveEvent[] = [];
  let output = '';
  const made = createLive({ file: join(dir, entry), stdio: 'pipe', onOutput: (_stream, text) => (output += text) });
  made.session.onEvent((event) => events.push(event));
  let ended = false;
  running.push(made.session);
  expect(made.session.start(() => (ended = true))).toEqual([]);
  return {
    dir,
    events,
    session: made.session,
    get output() {
      return output;
    },
    get ended() {
      return ended;
    },
    says: (pattern: RegExp, from = 0) => eventually(() => pattern.test(output.slice(from))),
    /** Saves, and gives what was said of it. */
    async save(changes: Record<string, string>): Promise<string> {
      const before = events.length;
      for (const [name, text] of Object.entries(changes)) writeFileSync(join(dir, name), text);
      await made.session.changed(Object.keys(changes).map((name) => join(dir, name)));
      return events
        .slice(before)
        .filter((event) => event.kind !== 'error')
        .map((event) => [event.text, ...event.details].join(' | '))
        .join(' / ');
    },
    async stop() {
      made.session.stop();
      await eventually(() => ended);
    },
  };
}

const LOOP = `let frame = 0;
class Barge { at = 0; advance() { this.at += 1; } }
const fleet = [new Barge()];
function render() {
  frame += 1;
  for (const barge of fleet) barge.advance();
  console.log('frame', frame, fleet[0].at);
}
setInterval(render, 5);
`;

test('a loop is changed, given a helper, broken and mended, and its class given a field; its counter goes on', async () => {
  const program = live({ 'room.js': LOOP });
  await program.says(/frame 3 3/);
  let text = LOOP.replace('this.at += 1', 'this.at += 10');
  expect(await program.save({ 'room.js': text })).toBe('Barge.advance patched');
  text = text
    .replace('function render', 'const wave = (n) => `~${n}`;\nfunction render')
    .replace('fleet[0].at)', 'wave(fleet[0].at))');
  expect(await program.save({ 'room.js': text })).toBe('render patched · wave added');
  await program.says(/frame \d+ ~\d+/);
  text = text.replace('`~${n}`', '`=${n}`');
  expect(await program.save({ 'room.js': text })).toBe('wave patched');
  await program.says(/frame \d+ =\d+/);
  expect(await program.save({ 'room.js': text.replace('frame += 1;', 'frame += ;') })).toMatch(
    /syntax error, nothing changed \| line 6/,
  );
  expect(await program.save({ 'room.js': text.replace('wave(fleet', 'wavy(fleet') })).toBe('render patched');
  await eventually(() =>
    program.events.some(
      (event) => event.kind === 'error' && /line 8 {2}ReferenceError: wavy is not defined/.test(event.text),
    ),
  );
  let from = program.output.length;
  expect(await program.save({ 'room.js': text })).toBe('render patched');
  await program.says(/frame \d+ =\d+/, from);
  text = text
    .replace('at = 0;', 'at = 0; fuel = 500;')
    .replace('this.at += 10', 'this.at += 10; this.fuel -= 1')
    .replace('wave(fleet[0].at)', 'wave(fleet[0].fuel)');
  from = program.output.length;
  expect(await program.save({ 'room.js': text })).toBe(
    'Barge.advance, render patched · Barge.fuel added · 1 object brought along | Barge.fuel: objects that live get it from its initialiser',
  );
  await program.says(/frame \d+ =4\d\d/, from);
  const frames = [...program.output.matchAll(/frame (\d+)/g)].map((match) => Number(match[1]));
  frames.slice(1).forEach((frame, index) => expect(frame).toBeGreaterThan(frames[index]!));
  await program.stop();
});

test('a program ends with the exit code it gives, after its own listeners', async () => {
  const dir = folder({
    'ends.ts':
      "process.on('exit', (code) => console.log('leaves with', code));\nsetTimeout(() => process.exit(3), 20);\n",
  });
  const program = start(['live', 'ends.ts'], { cwd: dir });
  expect(await program.exited).toBe(3);
  expect(program.text).toBe('leaves with 3\n');
});

test('a loop that ended with an error is called again after the next change, and one that goes on is not doubled', async () => {
  const text = (body: string): string =>
    `let n = 0;\nfunction tick() {\n  ${body}\n  setTimeout(tick, 5);\n}\nfunction early() {\n  setTimeout(early, 5);\n  other();\n}\nlet o = 0;\nfunction other() { o += 1; }\ntick();\nearly();\n`;
  const program = live({ 'loop.js': text("console.log('n', ++n);") });
  await program.says(/n 3/);
  await program.save({ 'loop.js': text("console.log('n', ++n); missing();") });
  await eventually(() => program.events.some((event) => /missing is not defined/.test(event.text)));
  await wait(60);
  const stopped = program.output;
  await wait(60);
  expect(program.output).toBe(stopped);
  expect(
    await program.save({ 'loop.js': text("console.log('m', ++n);").replace('o += 1', 'throw new Error("early")') }),
  ).toBe('tick, other patched · tick called again');
  await program.says(/m \d+/);
  await eventually(() => program.events.filter((event) => /Error: early/.test(event.text)).length > 3);
  const before = [...program.output.matchAll(/m (\d+)/g)].length;
  expect(await program.save({ 'loop.js': text("console.log('k', ++n);") })).toBe('tick, other patched');
  await program.says(/k \d+/);
  expect(before).toBeGreaterThan(0);
  await program.stop();
});

test('a change that does not end is stopped and undone, and the program goes on', async () => {
  const text = 'let n = 0;\nfunction step() { n += 1; console.log("n", n); }\nsetInterval(step, 5);\n';
  const program = live({ 'loop.js': text });
  await program.says(/n 2/);
  expect(await program.save({ 'loop.js': text.replace('n += 1;', 'while (n < 1e12) { n += 0; }') })).toBe(
    'step patched',
  );
  await eventually(() => program.events.some((event) => event.kind === 'undone'));
  const from = program.output.length;
  await program.says(/n \d+/, from);
  const said = program.events.map((event) => event.text);
  expect(said).toContain(
    'a change did not end, was stopped and is undone; the program goes on with what it had before',
  );
  await eventually(() =>
    program.events.some((event) => /line 2 {2}Error: ran for more than 3 s without an end/.test(event.text)),
  );
  expect(await program.save({ 'loop.js': text.replace('n += 1', 'n += 1000') })).toBe('step patched');
  await program.says(/n [12]\d\d\d/);
  await program.stop();
});

test('an import that comes later is loaded; one that is not there, or has no such name, changes nothing', async () => {
  const text =
    'import { join } from "node:path";\nlet n = 0;\nfunction step() { console.log("is", n); }\nsetInterval(step, 5);\nexport { join };\n';
  const program = live({
    'main.ts': text,
    'tolls.ts': 'export const rate: number = 7;\nconsole.log("tolls loaded");\n',
  });
  await program.says(/is 0/);
  const more = (specifier: string, name: string): string =>
    `import { ${name} } from '${specifier}';\n${text.replace('"is", n', `"is", ${name}`)}`;
  expect(await program.save({ 'main.ts': more('./none.js', 'rate') })).toMatch(
    /nothing changed: import '\.\/none\.js' \| .*none\.js/,
  );
  expect(await program.save({ 'main.ts': more('./tolls.js', 'rates') })).toBe(
    "nothing changed: import './tolls.js' | './tolls.js' has no export named 'rates'. Did you mean 'rate'?",
  );
  expect(program.output).not.toContain('tolls loaded');
  expect(await program.save({ 'main.ts': more('./tolls.js', 'rate') })).toBe('step patched · import ./tolls.js added');
  await program.says(/tolls loaded[^]*is 7/);
  // The new file takes part from now on.
  expect(await program.save({ 'tolls.ts': 'export const rate: number = 8;\nconsole.log("tolls loaded");\n' })).toBe(
    'rate assigned',
  );
  await program.says(/is 8/);
  await program.stop();
});

test('saves are taken back, what waits is run on request, and what was kept can be reset', async () => {
  const text = 'let n = 0;\nfunction step() { n += 1; console.log("a", n); }\nsetInterval(step, 5);\n';
  const program = live({ 'loop.js': text });
  await program.says(/a 3/);
  expect(await program.save({ 'loop.js': text.replace('"a"', '"b"') })).toBe('step patched');
  await program.says(/b \d/);
  expect(await program.session.undo()).toBe(true);
  let from = program.output.length;
  await program.says(/a \d+/, from);
  expect(await program.session.undo()).toBe(false);
  expect(
    await program.save({ 'loop.js': `${text.replace('n = 0', 'n = 5000')}console.log('effect', typeof step);\n` }),
  ).toMatch(/^n kept · 1 statement waits/);
  await wait(30);
  expect(program.output).not.toContain('effect');
  await program.session.runWaiting(join(program.dir, 'loop.js'));
  await program.says(/effect function/);
  from = program.output.length;
  expect(await program.session.reset(join(program.dir, 'loop.js'), 'n')).toBe(true);
  await program.says(/a 50\d\d/, from);
  expect(await program.session.reset(join(program.dir, 'loop.js'), 'n')).toBe(false);
  await program.stop();
});

test('a host keeps its state while its extension is executed again at each save', async () => {
  const host = `import { extension } from 'usher-anvil/live';
const commands = new Map();
let loads = 0;
await extension('./ext.js', (module) => {
  loads += 1;
  commands.set('hail', module.hail);
  return () => commands.delete('hail');
});
setInterval(() => console.log(loads, commands.size, commands.get('hail')?.()), 5);
`;
  const ext = `import { carry, dispose } from 'usher-anvil/live';
import { word } from './words.js';
const state = carry('state', () => ({ said: 0 }));
const timer = setInterval(() => (state.ticks = (state.ticks ?? 0) + 1), 2);
dispose(() => { clearInterval(timer); console.log('disposed'); });
export const hail = () => word + ' ' + ++state.said;
`;
  const program = live({ 'host.js': host, 'ext.js': ext, 'words.js': "export const word = 'ahoy';\n" });
  await program.says(/1 1 ahoy 3/);
  expect(await program.save({ 'ext.js': ext.replace("word + ' '", "word + '! '") })).toBe('reloaded');
  await program.says(/disposed\n2 1 ahoy! \d/);
  expect(await program.save({ 'words.js': "export const word = 'hello';\n" })).toBe(
    'reloaded with 1 that depends on it',
  );
  await program.says(/3 1 hello! \d/);
  const counts = [...program.output.matchAll(/(?:ahoy|ahoy!|hello!) (\d+)/g)].map((match) => Number(match[1]));
  expect(counts).toEqual(counts.map((_, index) => index + 1));
  // A reload that fails leaves the old module in its place; the host is changed in place.
  expect(await program.save({ 'ext.js': `${ext}throw new Error('at load');\n` })).toMatch(
    /^reload failed.* \| line 7 {2}Error: at load$/,
  );
  const from = program.output.length;
  await program.says(/4 1 hello! \d/, from);
  expect(await program.save({ 'host.js': host.replace('console.log(loads', "console.log('host', loads") })).toMatch(
    /patched$/,
  );
  await program.says(/host 4 1 hello!/);
  expect(await program.save({ 'ext.js': ext.replace("word + ' '", "word + '? '") })).toBe('reloaded');
  await program.says(/host 5 1 hello\? \d/);
  await program.stop();
});

test('objects go over to a class that is made anew, with the fields it carries', async () => {
  const host = `import { extension } from 'usher-anvil/live';
let now;
await extension('./barge.js', (module) => { now = module; });
setInterval(() => console.log(now.report()), 5);
`;
  const barge = `import { carry, carried, migrate } from 'usher-anvil/live';
export class Barge {
  static [carried] = ['name', 'at'];
  #v = 1;
  name; at = 0; mood = 'calm';
  static [migrate](barge, dropped) { barge.mood = 'new ' + dropped.join(); }
  constructor(name) { this.name = name; }
  say() { return this.name + ' ' + ++this.at + ' ' + this.mood; }
}
const fleet = carry('fleet', () => [new Barge('Heron')]);
export const report = () => fleet.map((one) => one.say()).join();
`;
  const program = live({ 'host.js': host, 'barge.js': barge });
  await program.says(/Heron 3 calm/);
  expect(await program.save({ 'barge.js': barge.replace("this.name + ' '", "'MV ' + this.name + ' '") })).toBe(
    'reloaded · 1 object brought along',
  );
  await program.says(/MV Heron \d+ new mood/);
  const counts = [...program.output.matchAll(/Heron (\d+)/g)].map((match) => Number(match[1]));
  expect(counts).toEqual(counts.map((_, index) => index + 1));
  await program.stop();
});

test('a class brings its live objects along by its own function', async () => {
  const text = `import { migrate } from 'usher-anvil/live';
class Barge {
  at = 0;
  static [migrate](barge, missing) { barge.note = missing.join() + '@' + barge.at; }
  advance() { return ++this.at; }
}
const hidden = new WeakMap();
const key = {};
(() => { const b = new Barge(); b.advance(); hidden.set(key, b); })();
setInterval(() => { const b = hidden.get(key); console.log('at', b.advance(), b.note, b.fuel); }, 5);
`;
  const program = live({ 'main.js': text });
  await program.says(/at \d+ undefined undefined/);
  expect(await program.save({ 'main.js': text.replace('at = 0;', 'at = 0; fuel = 9; crew = 2;') })).toMatch(
    /Barge\.fuel, Barge\.crew added · 1 object brought along/,
  );
  await program.says(/at \d+ fuel,crew@\d+ 9/);
  await program.stop();
});

test('what is imported is called with no this, by patched code as by its first', async () => {
  const main =
    "import { caller } from './lock.js';\nfunction pass() { return 'first ' + caller(); }\nsetInterval(() => console.log(pass()), 5);\n";
  const program = live({
    'main.js': main,
    'lock.js': 'export function caller() { return this === undefined ? "nobody" : Object.keys(this).join(); }\n',
  });
  await program.says(/first nobody/);
  await program.save({ 'main.js': main.replace("'first '", "'second '") });
  await program.says(/second nobody/);
  await program.stop();
});

test('the command: half-written files, files that vanish and return, and one line for each save', async () => {
  const text = 'let n = 0;\nfunction step() { n += 1; console.log("a", n); }\nsetInterval(step, 20);\n';
  const dir = folder({ 'loop.js': text });
  const run = start(['live', 'loop.js'], { cwd: dir });
  await run.until(/a 2/);
  const file = join(dir, 'loop.js');
  // An editor that empties, writes a half and then all of it.
  const next = text.replace('"a"', '"b"');
  writeFileSync(file, '');
  writeFileSync(file, next.slice(0, 30));
  await wait(4);
  writeFileSync(file, next);
  await run.until(/loop\.js {2}step patched\n/);
  await run.until(/b \d+/);
  // One that writes beside and renames.
  writeFileSync(join(dir, 'loop.js~'), text.replace('"a"', '"c"'));
  renameSync(join(dir, 'loop.js~'), file);
  await run.until(/c \d+/);
  rmSync(file);
  await wait(100);
  writeFileSync(file, text.replace('"a"', '"d"'));
  await run.until(/d \d+/);
  // The program may speak before the line about it does.
  await run.until(/(?:loop\.js {2}step patched[^]*){3}/);
  expect(run.text).not.toMatch(/syntax error/);
  expect(run.text.match(/loop\.js {2}.*/g)).toEqual(Array(3).fill('loop.js  step patched'));
  await run.end();
});

test('an error in a function that only moved is shown at the line where it stands now', async () => {
  const text =
    'let n = 0;\nfunction fail() {\n  if (n > 3) throw new RangeError("over");\n}\nfunction step() {\n  n += 1;\n  fail();\n}\nsetInterval(step, 5);\nconsole.log("ready");\n';
  const program = live({ 'loop.js': text.replace('n > 3', 'n > 1e9') });
  await program.says(/ready/);
  // Both functions move by two lines; only one of them is compiled again.
  expect(
    await program.save({
      'loop.js': `// log\n\n${text.replace('n > 3', 'n > 1e9').replace('n += 1;', 'n += 1; n += 0;')}`,
    }),
  ).toBe('step patched');
  expect(
    await program.save({
      'loop.js': `// log\n\n\n${text.replace('n > 3', 'n > 1e9').replace('n += 1;', 'n += 1; n += missing;')}`,
    }),
  ).toBe('step patched');
  await eventually(() =>
    program.events.some((event) => event.kind === 'error' && /line 9 {2}ReferenceError: missing/.test(event.text)),
  );
  expect(await program.save({ 'loop.js': `// log\n\n\n\n${text.replace('n += 1;', 'n = 9;')}` })).toBe(
    'fail, step patched',
  );
  await eventually(() =>
    program.events.some((event) => event.kind === 'error' && /line 7 {2}RangeError: over/.test(event.text)),
  );
  expect(await program.save({ 'loop.js': `${text.replace('n += 1;', 'n = 10;')}` })).toBe('step patched');
  await eventually(() =>
    program.events.some((event) => event.kind === 'error' && /line 3 {2}RangeError: over/.test(event.text)),
  );
  await program.stop();
});

test('ten changes are taken back one by one, also those whose versions are kept as text', async () => {
  const text = (n: number): string =>
    `let ticks = 0;\nexport function step() { return ${n}; }\nconst make = () => () => ${n} * 10;\nconst held = make();\nsetInterval(() => { ticks += 1; console.log('at', step(), held()); }, 5);\n`;
  const program = live({ 'steps.ts': text(0) });
  await program.says(/at 0 0/);
  for (let n = 1; n <= 10; n++) expect(await program.save({ 'steps.ts': text(n) })).toMatch(/step.* patched/);
  await program.says(/at 10 100/);
  for (let n = 9; n >= 0; n--) {
    const from = program.output.length;
    expect(await program.session.undo()).toBe(true);
    await program.says(new RegExp(`at ${n} ${n * 10}\\n`), from);
  }
  expect(await program.session.undo()).toBe(false);
  // What runs is known again: the next save is compared with it.
  expect(await program.save({ 'steps.ts': text(0).replace('ticks += 1', 'ticks += 2') })).toMatch(/patched$/);
  expect(program.session.runningText(join(program.dir, 'steps.ts'))).toContain('ticks += 2');
});
