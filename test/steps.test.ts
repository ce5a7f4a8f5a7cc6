/** Depth `steps`: the program does what it does at other depths, and every frame and statement is told. */
import { join } from 'node:path';
import { createSession, type PadRecord, type Session } from 'usher-anvil';
import { folder } from './harness.js';
import { programs } from './programs.js';
import { around, listing, statements, written } from './statements.js';

const PRINTS = 'var out = (...values) => console.log(...values);\n';

/** What a record says of what the program did. */
function told({ console, errors, outcome, tests }: PadRecord): unknown {
  const printed = console.map(({ text, level }) => `${level} ${text}`);
  return {
    outcome,
    printed,
    errors: errors.map(({ message, kind, range }) => [message, kind, range.start.line]),
    tests: tests.map(({ name, state }) => [name, state]),
  };
}

/** Runs texts at both depths, one after the other. */
async function bothDepths(file: string, texts: readonly string[]): Promise<[unknown, unknown][]> {
  const sessions: Session[] = (['values', 'steps'] as const).map((depth) => createSession({ file, text: '', depth }));
  const pairs: [unknown, unknown][] = [];
  for (const text of texts) {
    const records = [];
    for (const session of sessions) {
      session.edit(file, text);
      records.push(told(await session.settled()));
    }
    pairs.push(records as [unknown, unknown]);
  }
  for (const session of sessions) await session.close();
  return pairs;
}

test.each(['nasty.cjs', 'nasty.mjs'])('programs that are hard to instrument do the same: %s', async (name) => {
  const file = join(folder(), name);
  const names = Object.keys(programs);
  const pairs = await bothDepths(
    file,
    names.map((one) => PRINTS + programs[one]!),
  );
  const differing = pairs.flatMap(([values, steps], i) =>
    JSON.stringify(steps) === JSON.stringify(values) ? [] : [{ program: names[i], steps, values }],
  );
  expect(differing).toEqual([]);
});

test('what a program sets on all arrays is not run by what reports, however long it takes', async () => {
  const file = join(folder(), 'long.mjs');
  // Longer than reports wait for each other.
  const text = `Object.defineProperty(Array.prototype, '3', { set() { throw new Error('setter ran') }, configurable: true })
const from = Date.now()
let turns = 0
while (Date.now() - from < 250) turns++
console.log(turns > 0)
delete Array.prototype[3]
`;
  for (const record of (await bothDepths(file, [text]))[0]!)
    expect(record).toMatchObject({ outcome: 'ok', printed: ['log true'] });
});

test('every kind of statement does the same, also without semicolons', async () => {
  const file = join(folder(), 'statements.cjs');
  const texts = statements.map((statement, i) => `${PRINTS}${listing(`${around}\n${written(statement, i)}\n`)}`);
  const pairs = await bothDepths(file, texts);
  const differing = pairs.flatMap(([values, steps], i) =>
    JSON.stringify(steps) === JSON.stringify(values) ? [] : [{ statement: statements[i], steps, values }],
  );
  expect(differing).toEqual([]);
});
