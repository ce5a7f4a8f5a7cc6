import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { createSession, type PadRecord, type Session } from 'usher-anvil';
import { valueAt } from 'usher-anvil/record';
import { CASES, projectOf } from './framework-files.js';
import { eventually, folder, wait } from './harness.js';

/** A package that takes as long to load as a large one does, and remembers a setting. */
const SLOW = `const until = Date.now() + 400
while (Date.now() < until) { /* a large package is read */ }
let rate = 1
const log = console.log
module.exports = { rate: () => rate, setRate: (value) => { rate = value }, toll: (length) => length * rate, say: (text) => log(text) }
`;

function project(files: Record<string, string>): string {
  const dir = folder({ 'package.json': '{ "type": "module" }', ...files });
  for (const [name, text] of Object.entries({
    'package.json': '{ "name": "rates", "main": "index.js" }',
    'index.js': SLOW,
  })) {
    const path = join(dir, 'node_modules/rates', name);
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, text);
  }
  return dir;
}

/** Types one text after the other, and gives the record of each. */
class Typing {
  readonly records: PadRecord[] = [];
  readonly session: Session;

  constructor(
    readonly file: string,
    text: string,
  ) {
    this.session = createSession({ file, text });
    this.session.onRecord((record) => this.records.push(record));
    this.session.rehearse();
  }

  async begin(): Promise<void> {
    this.session.execute();
    await this.session.settled();
    // A second thread gets ready beside the first.
    await wait(2_500);
  }

  async type(text: string): Promise<PadRecord> {
    this.session.edit(this.file, text);
    const record = await this.session.settled();
    await wait(120);
    return record;
  }

  /** Types until a thread is kept. */
  async typeKept(text: (n: number) => string): Promise<PadRecord> {
    for (let n = 0; n < 20; n++) {
      const record = await this.type(text(n));
      if (record.keptPackages) return record;
    }
    throw new Error('no thread was kept');
  }

  get last(): PadRecord {
    return this.records.at(-1)!;
  }
}

function lastValue(record: PadRecord, name: string): string | undefined {
  const file = record.program.files[0]!;
  const site = file.sites.find((one) => one.name === name)!;
  for (let row = record.samples.length - 1; row >= 0; row--)
    if (record.samples.site[row] === file.base + site.id) return valueAt(record.samples, row).text;
  return undefined;
}

async function typing(text: string, files: Record<string, string> = {}, name = 'pad.mjs'): Promise<Typing> {
  const dir = project({ ...files, [name]: text });
  const made = new Typing(join(dir, name), text);
  await made.begin();
  return made;
}

const IMPORT = "import rates from 'rates'\n";

describe('a pad with a large package', () => {
  test('goes on in the thread that has it while a person types, and says so; a clean run follows', async () => {
    const typed = await typing(`${IMPORT}const due = rates.toll(1)\n`);
    try {
      const kept = await typed.typeKept((n) => `${IMPORT}const due = rates.toll(${n + 2})\nconsole.log('due', due)\n`);
      const n = Number(lastValue(kept, 'due'));
      expect(kept.console.map(({ text }) => text)).toEqual([`due ${n}`]);
      const again = await typed.type(`${IMPORT}const due = rates.toll(70)\nnull.gate\n`);
      expect(again.keptPackages).toBe(true);
      expect(lastValue(again, 'due')).toBe('70');
      expect(again.errors).toMatchObject([{ name: 'TypeError', range: { start: { line: 2 } } }]);
      await eventually(() => typed.last.ended && !typed.last.keptPackages && typed.last !== again);
      expect(lastValue(typed.last, 'due')).toBe('70');
      expect(typed.last.errors).toHaveLength(1);
    } finally {
      await typed.session.close();
    }
  });

  test('is there for the next run though nobody waits for the one that loads it: typing does not hold it up', async () => {
    // Each run takes longer than a person takes to the next key.
    const text = (n: number): string =>
      `import { toll } from 'rates'\nawait new Promise((resolve) => setTimeout(resolve, 120))\nconst due = toll(${n})\n`;
    const dir = project({ 'pad.mjs': text(0) });
    const typing = new Typing(join(dir, 'pad.mjs'), text(0));
    try {
      await typing.begin();
      const from = typing.records.length;
      for (let n = 1; n <= 15; n++) {
        typing.session.edit(typing.file, text(n));
        await wait(250);
      }
      // On a busy machine one run may take as long as several keys; before, none came to its end.
      const ended = typing.records.slice(from).filter((record) => record.ended);
      expect(ended.length).toBeGreaterThan(1);
      expect(ended.some(({ keptPackages }) => keptPackages)).toBe(true);
    } finally {
      await typing.session.close();
    }
  });

  test('sees what an earlier run has set in it only until the clean run', async () => {
    const typed = await typing(`${IMPORT}const before = rates.rate()\n`);
    try {
      const text = (n: number): string => `${IMPORT}const before = rates.rate()\nrates.setRate(5)\n// ${n}\n`;
      await typed.typeKept(text);
      const kept = await typed.type(text(50));
      expect(kept.keptPackages).toBe(true);
      expect(lastValue(kept, 'before')).toBe('5');
      await eventually(() => typed.last.ended && !typed.last.keptPackages);
      expect(lastValue(typed.last, 'before')).toBe('1');
    } finally {
      await typed.session.close();
    }
  });

  test('a save, or what is asked for, runs clean', async () => {
    const typed = await typing(`${IMPORT}const due = rates.toll(1)\n`);
    try {
      await typed.typeKept((n) => `${IMPORT}const due = rates.toll(${n})\n`);
      typed.session.execute();
      expect((await typed.session.settled()).keptPackages).toBeUndefined();
    } finally {
      await typed.session.close();
    }
  });

  test.each([
    ['a global', 'globalThis.count = (globalThis.count ?? 0) + 1\nconst seen = globalThis.count'],
    ['a prototype', 'const seen = [].gates ?? 0\nArray.prototype.gates = 1'],
    ['a variable of the environment', "const seen = process.env.GATES ?? 0\nprocess.env.GATES = '1'"],
    ['a listener', "const seen = process.listenerCount('water')\nprocess.on('water', () => {})"],
    ['a function of the platform', "import fs from 'node:fs'\nconst seen = fs.gates ?? 0\nfs.gates = 1"],
  ])('that leaves %s behind is never run in a thread that has it', async (_what, code) => {
    const typed = await typing(`${IMPORT}${code}\n`);
    try {
      const seen = new Set<string | undefined>();
      for (let n = 0; n < 4; n++) {
        const record = await typed.type(`${IMPORT}${code}\nconst due = rates.toll(${n})\n`);
        expect(record.keptPackages).toBeUndefined();
        expect(lastValue(record, 'due')).toBe(String(n));
        seen.add(lastValue(record, 'seen'));
      }
      expect(seen.size).toBe(1);
    } finally {
      await typed.session.close();
    }
  });

  test('has its own modules as they are now, tests, timers and exit events in each run', async () => {
    const script = (n: number): string =>
      `const rates = require('rates')\nconst test = require('node:test')\nconst { base } = require('./base.cjs')\n` +
      `process.exitCode = 0\nconst due = rates.toll(base) + ${n}\n` +
      `test('due', () => { if (due < ${n}) throw new Error('too little') })\n` +
      `setTimeout(() => console.log('later', due), 5)\n`;
    const typed = await typing(script(0), { 'base.cjs': 'exports.base = 10\n' }, 'pad.cjs');
    try {
      const base = join(dirname(typed.file), 'base.cjs');
      const kept = await typed.typeKept(script);
      expect(kept.tests).toMatchObject([{ name: 'due', state: 'passed' }]);
      typed.session.edit(base, 'exports.base = 20\n');
      const next = await typed.session.settled();
      expect(next.keptPackages).toBe(true);
      const due = Number(lastValue(next, 'due'));
      expect(due).toBeGreaterThanOrEqual(20);
      expect(next.console.map(({ text }) => text)).toEqual([`later ${due}`]);
      expect(next.tests).toMatchObject([{ name: 'due', state: 'passed' }]);
      expect(next.exitCode).toBe(0);
    } finally {
      await typed.session.close();
    }
  });
});

test.each(['jest', 'vitest', 'mocha'] as const)(
  'tests of %s come to the same in each run of a thread',
  async (name) => {
    const one = CASES.find(({ framework }) => framework === name)!;
    const dir = projectOf(one);
    const file = join(dir, one.file);
    const text = readFileSync(file, 'utf8');
    const typed = new Typing(file, text);
    const told = ({ tests }: PadRecord): string[] =>
      tests.map((test) => `${test.line} ${test.name} ${test.state} ${test.error?.message ?? ''}`).sort();
    try {
      await typed.begin();
      const first = told(typed.last);
      expect(first.length).toBeGreaterThan(8);
      for (let n = 0; n < 6; n++) {
        const record = await typed.type(`${text}\n// ${n}\n`);
        expect(told(record)).toEqual(first);
      }
    } finally {
      await typed.session.close();
    }
  },
);
