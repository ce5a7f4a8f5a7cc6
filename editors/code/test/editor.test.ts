/** The extension in a real editor, as a person uses it. */
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { eventually, start } from '../../../test/harness.js';
import { Person } from './person.js';

const TOLLS = `import { rate } from './rates.mjs'

export function toll(length) {
  const full = length * rate
  return full
}

function never() {
  return 1
}

const tolls = [12, 14, 20].map((length) => toll(length))
console.log(tolls)
`;
const TESTS = `import test from 'node:test'
import assert from 'node:assert/strict'

test('a night passage', () => {
  assert.equal(40 * 2, 81)
})
`;
const PUMP = `let level = 0
function fill(by) {
  level += by
  return level
}
setInterval(() => {
  fill(2)
}, 50)
`;
const FILES = {
  'tolls.mjs': TOLLS,
  'rates.mjs': 'export const rate = 4\n',
  'night.test.mjs': TESTS,
  'pump.mjs': PUMP,
};

let person: Person;

beforeAll(async () => {
  person = await Person.begin({ files: FILES });
});

afterEach(async () => {
  await person.picture(expect.getState().currentTestName!.replace(/\W+/g, '-'));
});

afterAll(() => person.end());

test('a file that is opened shows nothing; one command, and values stand beside the code as it is typed', async () => {
  await person.openFile('tolls.mjs');
  await eventually(async () => (await person.state()).includes('not running'));
  expect((await person.lines()).every(({ drawn }) => drawn === '')).toBe(true);
  await person.command('Usher Anvil: Run This File Here');
  expect(await person.sees('const tolls', /48/)).toBe('│ [48, 56, 80]');
  expect(await person.rails()).toBeGreaterThan(5);
  await person.behindText('14', TOLLS);
  await person.type('0');
  await person.sees('const tolls', /^│ \[48, 560, 80\]$/);
  await person.press('Backspace');
  await person.sees('const tolls', /^│ \[48, 56, 80\]$/);
});

test('what is broken says so at its place, and what was before stays in sight', async () => {
  await person.behindText('length * rate', TOLLS);
  await person.type(' *');
  await person.sees('const tolls', /48/);
  await eventually(() => person.page.locator('.squiggly-error').count());
  await person.press('Backspace', 'Backspace');
  await eventually(async () => (await person.page.locator('.squiggly-error').count()) === 0);
  // A name that is not there fails at its place as well.
  await person.type('s');
  await person.sees('length * rates', /rates is not defined/);
  await person.press('Backspace');
  await person.sees('const tolls', /^│ \[48, 56, 80\]$/);
});

test('an expression that is selected shows its values', async () => {
  await person.behindText('length * rate', TOLLS);
  for (let i = 0; i < 'length * rate'.length; i++) await person.press('Shift+ArrowLeft');
  await person.sees('const full', /⟨ 48 · 56 · 80 ×3 ⟩/);
  await person.press('ArrowLeft');
  await eventually(async () => !(await person.drawn('const full')).includes('⟨'));
});

test('a module of the pad shows what it did there, before it is saved', async () => {
  await person.openFile('rates.mjs');
  await person.sees('export const rate', /^│ 4$/);
  await eventually(async () => (await person.state()).includes('in tolls.mjs'));
  await person.behindText('= 4', FILES['rates.mjs']);
  await person.type('0');
  await person.sees('export const rate', /^│ 40$/);
  await person.openFile('tolls.mjs');
  await person.sees('const tolls', /480/);
  await person.openFile('rates.mjs');
  await person.press('Control+Z');
  await person.sees('export const rate', /^│ 4$/);
});

test('a failing test is turned before it is saved', async () => {
  await person.openFile('night.test.mjs');
  await person.command('Usher Anvil: Run This File Here');
  await person.sees("test('a night", /✗/);
  await person.sees('assert.equal', /received 80, expected 81/);
  await eventually(async () => (await person.state()).includes('1 of 1 test failed'));
  await person.behindText('81', TESTS);
  await person.press('Backspace');
  await person.type('0');
  await person.sees("test('a night", /✓/);
  expect(readFileSync(join(person.dir, 'night.test.mjs'), 'utf8')).toBe(TESTS);
});

test('all values of a line, what was printed and the tape are in the panel', async () => {
  await person.openFile('tolls.mjs');
  await person.behindText('const full', TOLLS);
  await person.command('Usher Anvil: All Values of This Line');
  const panel = await person.panel();
  await panel.locator('aside', { hasText: '3 visits' }).waitFor();
  await panel.locator('footer', { hasText: '[48, 56, 80]' }).waitFor();
  await panel.locator('#tab-tape').click();
  await panel.locator('.tape .strip').waitFor();
  await person.command('View: Hide Panel');
});

test('a live program takes what is saved', async () => {
  const program = start(['live', 'pump.mjs'], { cwd: person.dir, env: person.env });
  await person.openFile('pump.mjs');
  await person.sees('function fill', /\/s · ×/);
  await person.behindText('level += by', PUMP);
  await person.command('Usher Anvil: Look Inside the Function');
  await person.sees('return level', /^│ \d+ ×/);
  await person.behindText('let level', PUMP);
  await person.command('Usher Anvil: Evaluate What Is Selected');
  await person.sees('let level', /⇒ \d+/);
  await person.behindText('level += by', PUMP);
  await person.type(' * 0 + 1000000');
  expect(program.text).not.toContain('patched');
  await person.press('Control+S');
  await program.until(/fill patched/);
  await person.sees('return level', /^│ \d{7,} ×/);
  await person.command("Usher Anvil: Take the Live Program's Last Change Back");
  await program.until(/undone/);
  program.child.kill('SIGTERM');
  await eventually(async () => (await person.state()).includes('not running'));
});

test('a pad from a template runs without a name; a server that is killed comes back, and what ran runs again', async () => {
  await person.command('Usher Anvil: New Pad');
  await person.choose('javascript');
  await person.page.waitForSelector('.tab.active[data-resource-name="Untitled-1"]');
  await eventually(async () => (await person.state()).includes('worker'));
  await person.press('Control+A', 'Delete');
  await person.type('const wren = 40 + 2');
  await person.sees('const wren', /^│ 42$/);
  execFileSync('pkill', ['-KILL', '-f', 'dist/bin/main.js lsp --stdio']);
  await person.type(' + 1');
  await person.sees('const wren', /^│ 43$/);
  await person.openFile('tolls.mjs');
  await person.sees('const tolls', /^│ \[48, 56, 80\]$/);
});

test('two windows on one folder, each with its own text', async () => {
  const other = await person.secondWindow();
  await other.openFile('tolls.mjs');
  await other.sees('const tolls', /^│ \[48, 56, 80\]$/);
  await other.behindText('20', TOLLS);
  await other.type('0');
  await other.sees('const tolls', /^│ \[48, 56, 800\]$/);
  expect(await person.drawn('const tolls')).toBe('│ [48, 56, 80]');
  await other.page.close();
});

test('a file that is told to run no more shows nothing', async () => {
  await person.openFile('tolls.mjs');
  await person.command('Usher Anvil: Run This File No More');
  await eventually(async () => (await person.lines()).every(({ drawn }) => drawn === ''));
  await eventually(async () => (await person.rails()) === 0);
});
