/** Calls that wait in a live program, and breakpoints in it, in a real editor. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { eventually, start } from '../../../test/harness.js';
import { Person } from './person.js';

const HOUSE = `const book = {
  lines: ['Ada 4'],
}
async function settle(boat) {
  const due = boat.tonnes * 2
  return book.settled(due)
}
setTimeout(async () => {
  console.log('settled ' + (await settle({ name: 'Ada', tonnes: 4 })))
}, 50)
function fill(level) {
  const next = level + 1
  return next
}
let level = 0
setInterval(() => {
  level = fill(level)
}, 50)
`;

let person: Person;
let program: ReturnType<typeof start>;

beforeAll(async () => {
  person = await Person.begin({ files: { 'house.mjs': HOUSE } });
  program = start(['live', 'house.mjs', '--hold', '--name', 'house'], { cwd: person.dir, env: person.env });
});

afterEach(async () => {
  await person.picture(expect.getState().currentTestName!.replace(/\W+/g, '-'));
});

afterAll(async () => {
  await program.end();
  await person.end();
});

const rows = (): Promise<string[]> => person.page.locator('.pane-body .monaco-list-row').allTextContents();

test('a call that failed is listed with its variables; what is missing is written, and the call goes on', async () => {
  await person.openFile('house.mjs');
  await person.command('Focus on Held Calls View');
  await eventually(async () => (await rows()).some((row) => row.includes('book.settled is not a function')));
  await person.page.locator('.pane-body .monaco-list-row', { hasText: 'settle' }).last().click();
  await person.press('ArrowRight');
  await eventually(async () => (await rows()).some((row) => /due\s*8/.test(row)));
  await person.command('Usher Anvil: Held Call: Write What Is Missing');
  // The cursor stands in its body.
  await person.page.locator('.statusbar-item', { hasText: 'Ln 4, Col 5' }).waitFor();
  await person.page.waitForSelector('.monaco-editor.focused');
  await person.type('return due + 1');
  await person.press('Control+S');
  await program.until(/book assigned/);
  await eventually(() =>
    /settled\(due\) \{\s*return due \+ 1/.test(readFileSync(join(person.dir, 'house.mjs'), 'utf8')),
  );
  await person.command('Usher Anvil: Held Call: Go On');
  await program.until(/settled 9/);
  await eventually(async () => !(await rows()).some((row) => row.includes('is not a function')));
});

test('a breakpoint stops the program; its code is stepped through, and it goes on when the editor leaves', async () => {
  await person.command('Usher Anvil: Stop and Step in a Live Program');
  await person.page.waitForSelector('.debug-toolbar');
  await person.behindText('const next', readFileSync(join(person.dir, 'house.mjs'), 'utf8'));
  await person.press('F9');
  await eventually(async () => (await person.stopped()).includes('const next = level + 1'));
  await person.walkKey('Step Over');
  await eventually(async () => (await person.stopped()).includes('return next'));
  await eventually(async () => (await person.variables()).some((one) => /next\s*=\s*\d/.test(one)));
  await person.walkKey('Disconnect');
  await person.page.waitForSelector('.debug-toolbar', { state: 'hidden' });
});
