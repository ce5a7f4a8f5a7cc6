/** Walking back from a failing test in a real editor, with its own keys and views. */
import { eventually } from '../../../test/harness.js';
import { Person } from './person.js';

const FARES = `import test from 'node:test'
import assert from 'node:assert/strict'

function rate(passages) {
  const many = passages > 5
  return many ? 0.9 : 1
}

function toll(loads, passages) {
  let sum = 0
  for (const tonnes of loads) {
    sum += tonnes
  }
  return sum * rate(passages)
}

test('a discount from the fifth passage', () => {
  const price = toll([10, 20, 30], 5)
  assert.equal(price, 54)
})
`;

let person: Person;

beforeAll(async () => {
  person = await Person.begin({ files: { 'fares.test.mjs': FARES } });
});

afterEach(async () => {
  await person.picture(expect.getState().currentTestName!.replace(/\W+/g, '-'));
});

afterAll(() => person.end());

/** Where the editor stands: the line that it marks. */
async function standsAt(text: string): Promise<void> {
  let last = '';
  try {
    await eventually(async () => {
      last = await person.stopped();
      return last.includes(text);
    }, 30_000);
  } catch {
    throw new Error(`it stands at ${JSON.stringify(last)}, and not at ${text}`);
  }
}

test('from the lens over a failing test back to the line at fault', async () => {
  await person.openFile('fares.test.mjs');
  await person.command('Usher Anvil: Run This File Here');
  await person.sees("test('a discount", /✗/);
  await person.lens('walk back from its failure');
  await standsAt('assert.equal(price, 54)');
  await person.walkKey('Step Back');
  await standsAt('const price = toll');
  await person.walkKey('Step Into');
  await standsAt('let sum = 0');
  // The editor's own view of variables has what they held.
  await eventually(async () => (await person.variables()).some((one) => /passages\s*=\s*5/.test(one)));
});

test('its breakpoints are places to stop at in both directions, and values stand beside the lines', async () => {
  await person.behindText('const many', FARES);
  await person.press('F9');
  await person.walkKey('Continue');
  await standsAt('const many = passages > 5');
  await person.walkKey('Step Over');
  await standsAt('return many');
  await eventually(async () => /many\s*=\s*false/.test(await person.inlineOf('const many')));
  await person.walkKey('Reverse');
  await standsAt('const many = passages > 5');
  await person.walkKey('Step Out');
  await standsAt('assert.equal(price, 54)');
});
