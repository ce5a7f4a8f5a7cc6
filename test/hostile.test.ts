/** Hostile pads in a real workbench: each costs its own record, and the server serves on. */
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { startServer, type WorkbenchServer } from '#dist/server/server.js';
import { eventually, folder, inTurn, WHOLE } from './harness.js';
import { HOSTILE_PADS, type HostilePad } from './hostile/pads.js';
import { Window } from './window.js';

const GOOD = 'const sill = 2\nsill * 3\n';

let server: WorkbenchServer;
let window: Window;
let dir: string;

beforeAll(async () => {
  dir = folder({ 'pad.js': GOOD });
  expect(spawnSync('mkfifo', [join(dir, 'pipe.js')]).status).toBe(0);
  server = await startServer({ root: dir, pad: join(dir, 'pad.js'), state: folder(), types: false });
  window = new Window(server);
  await window.shows('6', 1);
});
afterAll(() => server.close());

/** Runs a text, and then a good one: what came of the first. */
async function survives({ text, outcome, slow }: HostilePad): Promise<void> {
  const before = window.messages.length;
  window.type(text);
  const records = () =>
    window.messages.slice(before).filter((message) => message.type === 'record' && message.version >= version);
  const { version } = { version: window.version };
  const ended = await eventually(
    () => records().find((record) => record.type === 'record' && (record.ended || (!slow && record.lines.length > 0))),
    30_000,
  );
  if (outcome) {
    // A record of a run that goes on says what is known by then.
    const isLast = (record: (typeof window.messages)[number]): boolean => record.type === 'record' && record.ended;
    const last = await eventually(() => records().find(isLast), 10_000).catch(() => ended);
    expect(last).toMatchObject({ outcome });
  }
  const after = window.messages.length;
  window.type(GOOD);
  await eventually(() =>
    window.messages
      .slice(after)
      .some((message) => message.type === 'record' && message.ended && message.lines[1]?.items[0]?.text === '6'),
  );
  const wrong = window.messages.slice(before).filter((message) => message.type === 'problem');
  expect(wrong.filter((message) => message.code === 'E_INTERNAL')).toEqual([]);
  window.messages.splice(0);
}

test('there are enough of them, and each has a name of its own', () => {
  expect(HOSTILE_PADS.length).toBeGreaterThanOrEqual(150);
  expect(new Set(HOSTILE_PADS.map((pad) => pad.name)).size).toBe(HOSTILE_PADS.length);
});

test.each(inTurn(HOSTILE_PADS, 5).map((pad) => [pad.name.slice(0, 90), pad] as const))('%s', async (_name, pad) => {
  await survives(pad);
});

test('two of them in one text, at random', async () => {
  const seed = Number(process.env.ANVIL_SEED ?? Math.floor(Date.now() / 1_000));
  let state = seed;
  const random = (most: number): number => (state = (state * 1_103_515_245 + 12_345) % 2 ** 31) % most;
  const quick = HOSTILE_PADS.filter((pad) => !pad.slow && pad.text.length < 300);
  for (let i = 0; i < (WHOLE ? 60 : 8); i++) {
    const [one, other] = [quick[random(quick.length)]!, quick[random(quick.length)]!];
    try {
      await survives({ name: '', text: `{\n${one.text}\n}\n;{\n${other.text}\n}` });
    } catch (error) {
      throw new Error(`seed ${seed}, turn ${i}: ${one.name} and ${other.name}`, { cause: error });
    }
  }
  expect(readFileSync(join(dir, 'pad.js'), 'utf8')).toBe(GOOD);
});
