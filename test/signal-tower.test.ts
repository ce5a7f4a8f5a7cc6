/** An extension that its host loads anew at each save: breakpoints stay in it, and the host's own code is stepped. */
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createLive, type NodeLive } from 'usher-anvil';
import { cli, entered, eventually, folder, root, start } from './harness.js';

let live: NodeLive | undefined;
afterEach(() => {
  live?.session.stop();
  live = undefined;
});

function copied() {
  const dir = folder({});
  cpSync(join(root, 'examples', 'signal-tower'), dir, { recursive: true });
  const fog = join(dir, 'signals', 'fog.mjs');
  return {
    ...{ dir, fog, tower: join(dir, 'tower.mjs') },
    save: (change: (text: string) => string) => writeFileSync(fog, change(readFileSync(fog, 'utf8'))),
    line: (file: string, part: string) =>
      readFileSync(file, 'utf8')
        .split('\n')
        .findIndex((text) => text.includes(part)),
  };
}

test('in a live program: a condition stays over loads, the tower keeps its count and drops what was registered', async () => {
  const { dir, fog, tower, save, line } = copied();
  let output = '';
  live = createLive({
    ...{ file: tower, cwd: dir, stdio: 'pipe', env: { ...process.env, TURN_MS: '15' } },
    onOutput: (_, printed) => (output += printed),
  });
  const { session } = live;
  const { pausing } = session;
  expect(session.start(() => undefined)).toEqual([]);
  await eventually(() => output.includes('the signal tower is at'));
  const made = await pausing.set({ file: fog, line: line(fog, 'return `${lamps}'), condition: 'lamps === 2' });
  expect(made.state).toBe('set');
  const stands = async (): Promise<{ lamps: string; boats: number; frames: string[] }> => {
    await eventually(() => pausing.all.length === 1);
    const value = async (text: string): Promise<string> => {
      const answer = await pausing.evaluate(text, 0);
      return answer.is === 'value' ? answer.value.text! : JSON.stringify(answer);
    };
    const frames = pausing.all[0]!.frames.map((frame) => `${frame.file === fog ? 'fog' : 'tower'} ${frame.line}`);
    return { lamps: await value('lamps'), boats: Number(await value('boats')), frames };
  };
  const first = await stands();
  const place = [`fog ${made.line}`, `tower ${line(tower, 'const said = rule')}`];
  expect(first).toEqual({ lamps: '2', boats: expect.any(Number), frames: expect.arrayContaining(place) });
  // It is stepped out of, into the tower.
  await pausing.go({ how: 'out' });
  await eventually(() => pausing.all[0]?.reason === 'step');
  expect(pausing.all[0]!.frames[0]).toMatchObject({ name: 'pass', file: tower });
  await pausing.go({ how: 'on' });
  await eventually(async () => (await stands()).boats > first.boats);
  // The tower loads what is saved, under another address: the breakpoint is in that too, on the line of its statement.
  save((text) =>
    text.replace('/** Lamps', '/** In the night too.\n * Lamps').replace('lamps for boat', 'lights for boat'),
  );
  await session.changed([fog]);
  await pausing.go({ how: 'on' });
  await eventually(async () => {
    const { frames, lamps } = await stands();
    if (lamps === '2' && frames[0] === `fog ${made.line + 1}`) return true;
    await pausing.go({ how: 'on' });
    return false;
  });
  await pausing.remove(made.id);
  await pausing.letAllGo();
  const read = async (text: string): Promise<string> => (await entered(session, tower, text)) ?? 'nothing';
  await eventually(async () => Number(await read("extensions.get('fog.mjs').loads")) === 2);
  await eventually(async () => /lights for boat/.test(await read('hung')));
  expect(await read('signals.size')).toBe('1');
  expect(Number(await read('boats'))).toBeGreaterThan(first.boats);
  // And on command.
  await session.evaluate(tower, 'await loadAll()');
  expect(await read("extensions.get('fog.mjs').loads")).toBe('3');
});

test('in a host that is started by its own command, from the terminal', async () => {
  const { dir, tower, save, line } = copied();
  const env = { USHER_ANVIL_TARGETS: folder({}), XDG_STATE_HOME: folder({}), TURN_MS: '15' };
  const refused = cli(['live', '--pause', '--', 'npm', 'start'], { cwd: dir, env });
  expect([refused.code, refused.stderr]).toEqual([2, expect.stringContaining('--pause is for a program')]);
  const program = start(['live', '--name', 'tower', '--hold', '--', 'npm', 'start'], { cwd: dir, env });
  try {
    await program.until(/the signal tower is at/);
    const held = (...rest: string[]): string => cli(['held', 'tower', ...rest], { cwd: dir, env }).stdout;
    await eventually(() => held().includes('are held'));
    held('at', 'signals/fog.mjs:6', '--when', 'lamps === 2');
    await eventually(() => held().includes('stands still'));
    const inTower = `pass  tower.mjs line ${line(tower, 'const said = rule') + 1}`;
    expect(held()).toMatch(/stands still {2}process \d+ .*fog\.mjs line 6/);
    expect(held()).toContain(inTower);
    expect(held('value', '[lamps, sight > 100]')).toBe('[2, true]\n');
    save((text) => text.replace('lamps for boat', 'lights for boat'));
    held('continue');
    await eventually(() => /lights for boat/.test(held('out') + held('value', '[...lines, said].join()')));
    expect(program.text).toMatch(/stands still {2}process \d+ /);
    held('clear', '1');
    held('continue');
    // What fails in it waits too.
    save((text) => text.replace('if (sight > 400)', "throw new Error('no lamps');\n    if (sight > 400)"));
    await program.until(/held {2}.*no lamps/);
    held('off');
    held('continue');
  } finally {
    await program.end();
  }
});
