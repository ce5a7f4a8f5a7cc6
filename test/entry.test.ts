import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive, type Entered } from 'usher-anvil';
import { valueText } from 'usher-anvil/record';
import { eventually, folder } from './harness.js';

const running: { stop(): void }[] = [];
afterEach(() => {
  for (const session of running.splice(0)) session.stop();
});

const CANAL = `import { join } from 'node:path';
const SPEED = 3;
let level: number = 0;
class Barge { #fuel = 9; at = 0; get half(): never { throw new Error('a getter ran'); } advance(): void { this.at += SPEED; } }
const fleet = [new Barge()];
export function tick(n: number): string { level += n; for (const barge of fleet) barge.advance(); return join('canal', String(level)); }
setInterval(() => {}, 50);
`;

/** A live program, and what is entered for it as texts. */
async function program(text = CANAL, name = 'canal.ts') {
  const dir = folder({ [name]: text, 'locks.ts': 'export const rise = 8;\n' });
  const file = join(dir, name);
  const { session } = createLive({ file, stdio: 'pipe' });
  running.push(session);
  const said: string[] = [];
  session.onEvent((event) => said.push(event.text));
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(async () => (await session.evaluate(file, '1')).is === 'done');
  return {
    file,
    session,
    said,
    enter: async (code: string) => told(await session.evaluate(file, code)),
    names: async (written: string) => (await session.complete(file, written)).names.map((one) => one.name),
    async save(next: string) {
      writeFileSync(file, next);
      await session.changed([file]);
    },
  };
}

function told(answer: Entered): string {
  if (answer.is === 'wrong')
    return answer.problems.map(({ line, message }) => `wrong ${line + 1} ${message}`).join(' | ');
  if (answer.is === 'failed') return `failed ${[answer.text, ...answer.details].join(' | ')}`;
  if (answer.is === 'incomplete') return 'incomplete';
  return [answer.changes, answer.result ? valueText(answer.result.value) : '']
    .filter((part) => part !== '')
    .join(' → ');
}

describe('what is entered for a module that lives', () => {
  test('reads and changes it, with types, await and statements; the last statement gives the value', async () => {
    const { enter } = await program();
    for (const [code, expected] of [
      ['level', '0'],
      ['level = 5; level * 2', '10'],
      ['{ at: level, fleet: fleet.length }', '{ at: 5, fleet: 1 }'],
      ['await new Promise<number>((resolve) => setTimeout(() => resolve(42), 5))', '42'],
      ['Promise.resolve(3)', 'Promise'],
      ['for (const barge of fleet) barge.at = 7', 'undefined'],
      ['fleet[0]!.at as number', '7'],
      ['if (level > 3) level += 1; // note', 'undefined'],
      ['level', '6'],
      ['', ''],
      ['(await import("./locks.js")).rise', '8'],
    ])
      expect([code, await enter(code!)]).toEqual([code, expected]);
  });

  test('declarations join it, may be entered again, and may be destructured or awaited', async () => {
    const { enter } = await program();
    for (const [code, expected] of [
      ['const deep = level + 100', 'deep added → 100'],
      ['const deep = 7', '7'],
      ['let { at } = fleet[0]!, [first, ...rest] = [1, 2, 3]', 'at, first, rest added → [1, 2, 3]'],
      ['[at, first, rest]', '[0, 1, [2, 3]]'],
      ['const later = await Promise.resolve(deep + 1)', 'later added → 8'],
      ['const twice = (n: number) => n * 2', 'twice added → ƒ twice'],
      ['twice(deep)', '14'],
      ['const twice = (n: number) => n * 20', 'twice patched → ƒ twice'],
      ['twice(deep)', '140'],
      ['interface Boat { name: string }', ''],
      ['const boat: Boat = { name: "Heron" }; boat.name', "boat added → 'Heron'"],
      ['class Weir { width = 3 }', 'Weir added'],
      ['new Weir()', 'Weir { width: 3 }'],
      ['import { basename } from "node:path"', ''],
      ['basename("/canal/log.txt")', "import node:path added → 'log.txt'"],
      ['enum Side { Port, Starboard }', 'Side added'],
      ['Side.Starboard', '1'],
    ]) {
      const answer = await enter(code!);
      expect([code, answer.replace('import node:path added → ', '')]).toEqual([
        code,
        expected!.replace('import node:path added → ', ''),
      ]);
    }
  });

  test('functions, classes and constants that it has are patched for whoever holds them; the file, saved, counts again', async () => {
    const { enter, save, said, session } = await program();
    expect(await enter('tick(1)')).toBe("'canal/1'");
    expect(await enter('function tick(n: number) { level += n * 100; fleet[0]!.advance(); return "new"; }')).toBe(
      'tick patched',
    );
    expect(await enter('tick(1); level')).toBe('101');
    expect(
      await enter(
        'class Barge { #fuel = 9; at = 0; name = "Heron"; get half(): never { throw 1; } advance(): void { this.at = -1; } }',
      ),
    ).toMatch(/Barge\.advance.* patched/);
    expect(await enter('tick(0); fleet')).toBe("[Barge { at: -1, name: 'Heron' }]");
    expect(await enter('const SPEED = 50; SPEED')).toBe('SPEED assigned → 50');
    expect(said).toContain('entered: tick patched');
    expect(await enter('const own = (n: number) => n + 1; own(1)')).toBe('own added → 2');
    await save(CANAL.replace('level += n;', 'level += own(n);'));
    expect(said.at(-1)).toMatch(/tick/);
    expect(await enter('level = 0; tick(4)')).toBe("'canal/5'");
    expect(await session.undo()).toBe(true);
    expect(await enter('tick(0)')).toBe("'new'");
    // A name of the file now takes the place of one that was entered.
    await save(`${CANAL}const own = 'of the file';\n`);
    expect(await enter('own')).toBe("'of the file'");
  });

  test('what cannot be is said, and changes nothing', async () => {
    const { enter } = await program();
    for (const [code, expected] of [
      ['fleet.map((one) => {', /^incomplete$/],
      ['`open', /^incomplete$/],
      ['let y = ;', /^wrong 1 Unexpected token/],
      ['const a = 1;\nlet level = 3 +* 4', /^wrong 2 /],
      ['nosuch', /^failed line 1 of what was entered {2}ReferenceError: nosuch is not defined$/],
      ['level = 1;\nnull.x', /^failed line 2 of what was entered {2}TypeError/],
      ['SPEED = 4', /Assignment to constant variable/],
      ['let tick = 3', /^wrong 1 tick is a function of this module: another name is needed/],
      ['export * from "./locks.js"', /^wrong 1 exports cannot be entered/],
      ['import { none } from "./locks.js"; none', /no export named 'none'/],
      ['while (true) {}', /ran for more than 3 s without an end, and was stopped/],
      ['level', /^1$/],
    ] as const)
      expect(await enter(code)).toMatch(expected);
  });

  test('a CommonJS module takes await too, and says what it cannot', async () => {
    const { enter } = await program(
      "const path = require('node:path');\nlet n = 1;\nsetInterval(() => {}, 50);\nmodule.exports = { n };\n",
      'canal.cjs',
    );
    expect(await enter('await Promise.resolve(n + 1)')).toBe('2');
    expect(await enter("path.join('a', 'b')")).toBe("'a/b'");
    expect(await enter("const { basename } = require('node:path'); basename('/a/b')")).toBe("basename added → 'b'");
    expect(await enter("import x from 'node:path'")).toMatch(/^wrong 1 import declarations belong to ES modules/);
  });
});

test('an error in what was entered is told where it stands there; a function changed again and again stands once in a stack, and shows its newest text', async () => {
  const { enter, said, save } = await program();
  await enter(
    'function drain(n: number): string {\n  if (n > 2) throw new Error(`too deep: ${n}`);\n  return String(n);\n}',
  );
  await enter('setTimeout(() => drain(3), 1)');
  await eventually(() => said.some((text) => /^line 2 of what was entered {2}Error: too deep: 3$/.test(text)));
  // One that came later, changed twice; and one that was there, changed twice.
  await enter('function drain(n: number): string {\n  return new Error(`drained ${n}`).stack!;\n}');
  await enter(
    'function drain(n: number): string {\n  // At last.\n  return new Error(`drained again ${n}`).stack!;\n}',
  );
  const frames = (text: string): string[] => [...text.matchAll(/ {4}at ([\w.<> ]+) \(/g)].map((match) => match[1]!);
  expect(frames(await enter('drain(1)')).filter((name) => name === 'drain')).toHaveLength(1);
  expect(await enter('drain.toString()')).toBe(
    "'function drain(n: number): string {\\n  // At last.\\n  return new Error(`drained again ${n}`).stack!;\\n}'",
  );
  for (const word of ['one', 'two', 'three'])
    await save(CANAL.replace("return join('canal', String(level));", `return '${word}' + new Error('here').stack;`));
  expect(frames(await enter('tick(1)')).filter((name) => name === 'tick')).toHaveLength(1);
  expect(await enter('tick.toString().includes("three") && !tick.toString().includes("$ua")')).toBe('true');
  expect(await enter('fleet[0].advance.toString()')).toBe("'advance(): void { this.at += SPEED; }'");
  await save(CANAL.replace('this.at += SPEED;', 'this.at += SPEED * 2;'));
  expect(await enter('fleet[0].advance.toString()')).toBe("'advance(): void { this.at += SPEED * 2; }'");
  await enter('class Gate { open(): number { return 1; } }');
  await enter('class Gate { open(): number { return 2; } }');
  expect(await enter('String(new Gate().open) + new Gate().open()')).toBe("'open(): number { return 2; }2'");
});

test('names come from the objects that live, own and inherited, and no getter runs', async () => {
  const { names, enter, file, session } = await program();
  expect(await names('fl')).toEqual(['fleet']);
  expect(await names('tick(lev')).toEqual(['level']);
  expect(await names('fleet[0].')).toEqual(expect.arrayContaining(['at', 'advance', 'half', 'hasOwnProperty']));
  expect(await names('fleet[0]?.a')).toEqual(['at', 'advance']);
  expect(await names('fleet[0].half.')).toEqual([]);
  expect(await names('fleet.pu')).toEqual(['push']);
  expect(await names('level.toF')).toEqual(['toFixed']);
  expect(await names('process.version')).toEqual(['version', 'versions']);
  expect(await names('JSON.par')).toEqual(['parse']);
  expect(await names('nosuch.')).toEqual([]);
  expect(await names('f().')).toEqual([]);
  await enter(
    'const mine = { deep: { rise: 1 } }; const trap = new Proxy({}, { ownKeys() { throw new Error("a trap ran"); } })',
  );
  expect(await names('mine.deep.')).toEqual(expect.arrayContaining(['rise']));
  expect(await names('trap.')).toEqual([]);
  const half = (await session.complete(file, 'fleet[0].h')).names.find((one) => one.name === 'half');
  expect(half).toEqual({ name: 'half', kind: 'accessor', text: '', from: 'Barge' });
});
